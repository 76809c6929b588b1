"""Rules and computation: numpy in, numpy out; no interface, no database.

- ``errors``      what can go wrong, in sentences for a person
- ``optics``      lens and gate
- ``space``       poses, projections, homographies
- ``timing``      frame rates and timecode
- ``easing``      CSS cubic-bezier eases
- ``channels``    values that change over time: keys and eases
- ``blending``    the blend modes
- ``shot``        the shot model and its validation
- ``evaluate``    shot + frame -> every matrix, opacity, lens and the draw order
- ``ordering``    which card is in front of which
- ``arranging``   spread, ground, match, scatter
- ``drawn``       layers drawn from a description
- ``guides``      safe areas and thirds
- ``lettering``   titles: how text is set and drawn
- ``fields``      colour fields and gradients
- ``edit_layers``  edits of what stands on the stage
- ``edit``        the edits a person can make: shot -> new shot
- ``camera_moves``  camera gestures: truck, pedestal, dolly, pan, tilt, roll
- ``stageplan``   the stage as seen from above or from the side
- ``picture``     decode, colour, finding a cutout's place; cutting, edge care, filling
- ``render``      texture pyramids, warps, compositing
- ``formats``     shot files, clips, image sequences
"""
