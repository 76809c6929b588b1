"""Rules and computation: numpy in, numpy out; no interface, no database.

- ``errors``      what can go wrong, in sentences for a person
- ``files``       files that are there whole or not at all
- ``confined``    work on what people bring in, in child processes that may die
- ``incoming``    reading pictures and documents, in such children
- ``kept``        what is computed once and kept, within one bound of memory
- ``optics``      lens and gate
- ``space``       poses, projections, homographies
- ``timing``      frame rates, timecode, times as people type them
- ``easing``      eases: CSS's, Penner's, springs
- ``speed``       a travel's speed, and the curve for a wished peak
- ``keyable``     which values can have keys
- ``rows``        rows of keys, and their values over time
- ``keyed``       a shot with keys, as it is at one frame
- ``playhead``    what an edit at one frame means for keys
- ``tracks``      layers at all frames at once
- ``blending``    the blend modes
- ``shot``        the shot model: frame, route, and the parts from ``layer`` and ``taking``
- ``shot_checks`` whether a shot's parts fit together
- ``document``    the shot file: read, written, completed, its JSON Schema
- ``mounts``      what others ride on, and what a ride does
- ``route``       framings, holds, aim, shake; cameras, cuts, takes
- ``paths``       smooth paths by arc length
- ``shake``       the unsteadiness of a carried camera
- ``retiming``    stretching a route, turning it round
- ``moves``       the shelf: from a point and sliders to framings
- ``camera``      the camera at any time
- ``poses``       where a layer stands, and how large, whatever the camera does
- ``cards``       layers as rectangles, and what one must be to stand somewhere
- ``evaluate``    shot + frame -> every matrix, opacity, lens and the draw order
- ``ordering``    which card is in front of which
- ``arranging``   spread, match, scatter
- ``perspective`` how a picture was seen, from edges that are parallel
- ``seen``        what a shot's marks tell, and which rays its pixels are
- ``rectangles``, ``heights``, ``bowing``
                  what else one view tells: rectangles, lengths, how a lens bows edges
- ``bodies``      boxes, balls, cylinders, arches, and where rays meet them
- ``straight``    surfaces as if seen straight on, by one projector or more
- ``ground``      the horizon, and what stands on the ground
- ``placing``     what a drag in the picture means
- ``drawn``       looks drawn from a description, and where all looks are found
- ``shadows``     soft shadows by the real distance
- ``frame_styles``  frames round pictures, crops
- ``occluders``   dark things that are seen past
- ``guides``      safe areas and thirds
- ``lettering``   titles: how text is set and drawn
- ``typefaces``   the type that ships, and what is brought in
- ``fields``      colour fields and gradients
- ``edit_layers``, ``edit_looks``, ``edit_titles``, ``edit_mounts``, ``edit_several``
                  edits of what stands on the stage
- ``edit_route``, ``edit_times``, ``edit_moves``, ``edit_cameras``, ``edit_keys``
                  edits of the camera work
- ``edit_seen``   marks in the picture, and what they measure
- ``surfaces``    layers that catch the picture
- ``edit_room``, ``edit_bodies``
                  edits that put the picture on planes and bodies
- ``clipboard``   layers copied from shot to shot
- ``edit``        the edits a person can make: shot -> new shot
- ``camera_moves``  camera gestures: truck, pedestal, dolly, zoom, pan, tilt, roll, arc
- ``foresight``   what a shot will show before anything is rendered
- ``stageplan``   the stage as seen from above or from the side
- ``picture``     decode, colour, finding a cutout's place; cutting, edge care, filling
- ``render``      texture pyramids, warps, compositing
- ``formats``     shot files, clips, image sequences
"""
