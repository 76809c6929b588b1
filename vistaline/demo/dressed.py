"""The demo's shots about light and air: a beam in fog, the lamp room at evening, a leaf."""

from __future__ import annotations

from typing import Any

import numpy as np

from vistaline.core import edits
from vistaline.core.looks.gobos import Gobo, GoboShape
from vistaline.core.shot.air import Emits, Fog, Particles
from vistaline.core.shot.beams import Flare, Glow, Rays, Shaft
from vistaline.core.shot.lamps import Falloff, Lamp, LampKind
from vistaline.core.shot.route import Framing
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.seen import ray_of
from vistaline.demo.headland import CANVAS

__all__ = ["fog_night", "leaf_by_lamplight", "room_at_evening"]

_LANTERN = (0.718, 0.202)
"""Where the taking camera saw the light: shares of its canvas."""
_LANDING = (0.47, 0.672)


def _keyed(shot: Shot, at: int, verb: str, **arguments: Any) -> Shot:
    return edits.apply(shot, verb, arguments, at=at, auto_key=True)


def _place(shot: Shot, at: tuple[float, float], metres: float) -> tuple[float, float, float]:
    """Return the place on the stage that the taking camera saw there, so many metres away."""
    way = ray_of(shot, at[0] * CANVAS[0], at[1] * CANVAS[1])
    x, y, z = (np.round(way * metres, 4)).tolist()
    return x, y, z


def fog_night(dusk: Shot) -> Shot:
    """The light turns through fog: a spot on the tower, its cone in the air, spray at the rocks."""
    light = _place(dusk, _LANTERN, 4.9)
    shot = dusk.evolve(
        name="Fog at Sallow Head",
        layers=tuple(each for each in dusk.layers if each.id != "beam"),
        lamps=(
            Lamp(
                id="light",
                name="The light",
                kind=LampKind.SPOT,
                position=light,
                pan=70.0,
                tilt=-1.5,
                cone=15.0,
                softness=0.8,
                colour="#ffe6b0",
                brightness=1.3,
                falloff=Falloff.SQUARE,
                normal=3.0,
            ),
            Lamp(id="dusk", name="Dusk", kind=LampKind.AMBIENT, brightness=0.72, colour="#b9c6e6"),
        ),
        dressing=(
            Fog(
                id="fog", name="Fog", colour="#5d6a86", visibility=26.0, uneven=0.55, grain=1.6
            ).evolve(drift=(0.12, 0.0, 0.0), sky=False),
            Fog(
                id="mist", name="Mist on the sea", colour="#8f98ac", visibility=7.0, uneven=0.6
            ).evolve(base=-0.55, thins=0.16, grain=0.9, drift=(0.08, 0.0, 0.0), sky=False),
            Shaft(
                id="beam", name="Beam", lamp="light", length=7.0, brightness=1.1, dust=0.45
            ).evolve(grain=0.6, drift=(0.12, 0.0, 0.0), softness=1.0),
            Particles(
                id="spray",
                name="Spray",
                emits=Emits.LINE,
                position=_place(dusk, _LANDING, 4.7),
                size=(0.9, 0.1, 0.1),
                rate=900,
                life=1.5,
                life_spread=0.5,
                radius=0.014,
                radius_spread=0.8,
                grows=3.0,
                colour="#dfe7f2",
                colour_end="#aab6cc",
                speed=0.8,
                speed_spread=0.8,
                tilt=78,
                spread=50,
                gravity=2.4,
                drag=1.2,
                turbulence=0.08,
                whirls=0.5,
                opacity=0.12,
                fades_in=0.02,
                fades_out=0.7,
                adds=False,
            ),
            Glow(id="glow", name="Glow", threshold=0.55, size=0.08, brightness=0.55),
            Flare(id="flare", name="Flare", lamp="light", brightness=0.5, streak=0.34, ring=0.0),
        ),
        rows=(),
    )
    for frame, pan in ((0, 96.0), (191, -30.0)):
        shot = _keyed(shot, frame, "set_lamp", lamp="light", pan=pan)
    # Towards the camera it blinds, as such lights do.
    for frame, percent in ((0, 8), (118, 8), (138, 90), (158, 8)):
        shot = _keyed(shot, frame, "set_dressing", thing="flare:flare", brightness=str(percent))
    return shot


def room_at_evening(room: Shot) -> Shot:
    """The lamp room: evening light through its windows, dust in it, the stove, the keeper's
    shadow."""
    windows = (("near", -2.5), ("far", -4.0))
    shafts = tuple(
        Shaft(
            id=f"window-{name}",
            name=f"Through the {name} window",
            position=(-2.16, 0.2, z),
            pan=-82.0,
            tilt=-27.0,
            width=0.86,
            height=1.0,
            spread=6.0,
            length=3.6,
            softness=0.5,
            brightness=0.34,
            colour="#ffb46e",
            dust=0.5,
            grain=0.35,
            drift=(0.02, 0.01, 0.0),
        )
        for name, z in windows
    )
    shot = room.evolve(
        name="Evening in the lamp room",
        lamps=(
            Lamp(
                id="sun",
                name="Evening sun",
                kind=LampKind.SPOT,
                position=(-2.6, 1.2, -5.6),
                aim="keeper",
                cone=44.0,
                softness=0.6,
                colour="#ff9c54",
                brightness=1.7,
                falloff=Falloff.NONE,
                shadows=True,
                size=0.12,
            ),
            Lamp(
                id="stove",
                name="Stove",
                position=(-1.15, -1.0, -4.6),
                kelvin=1900.0,
                brightness=1.2,
                falloff=Falloff.RANGE,
                normal=0.9,
                reach=4.5,
                shadows=True,
                size=0.25,
            ),
            Lamp(id="dim", name="Dusk", kind=LampKind.AMBIENT, brightness=0.34, colour="#a9bbe0"),
        ),
        dressing=(
            *shafts,
            Particles(
                id="motes",
                name="Motes",
                position=(-0.6, -0.2, -3.2),
                size=(3.0, 2.0, 2.8),
                rate=70,
                life=9,
                radius=0.0035,
                speed=0.03,
                drift=(0.02, 0.012, 0.0),
                turbulence=0.12,
                whirls=0.7,
                colour="#ffe0b0",
                colour_end="#ffe0b0",
                opacity=0.75,
                lit=True,
            ),
            Rays(
                id="rays", name="From the panes", position=(-2.2, 0.5, -4.4), threshold=0.5
            ).evolve(length=0.22, brightness=0.35),
            Glow(id="glow", name="Glow", threshold=0.5, size=0.07, brightness=0.45),
        ),
    )
    for frame, percent in (
        (0, 120),
        (19, 96),
        (31, 128),
        (58, 100),
        (83, 134),
        (110, 98),
        (143, 122),
    ):
        shot = _keyed(shot, frame, "set_lamp", lamp="stove", brightness=percent)
    return shot


def leaf_by_lamplight(tour: Shot) -> Shot:
    """The logbook's leaf in the light of a lamp that travels with the camera."""
    first, last = tour.route.framings[0], tour.route.framings[1]
    route = tour.route.evolve(
        framings=(
            first.evolve(hold=6),
            Framing(
                frame=119,
                hold=20,
                name=last.name,
                position=last.position,
                pan=last.pan,
                tilt=last.tilt,
                roll=last.roll,
                lens=last.lens,
                ease="cubic-in-out",
            ),
        )
    )
    shot = tour.evolve(
        name="A leaf by lamplight",
        frame=tour.frame.evolve(duration=140),
        cameras=(tour.camera.evolve(route=route),),
        rows=(),
        lamps=(
            Lamp(
                id="hand",
                name="In the hand",
                kind=LampKind.SPOT,
                position=(-0.12, 0.1, 0.0),
                pan=-1.5,
                tilt=-1.5,
                with_camera=True,
                kelvin=3000.0,
                brightness=1.15,
                falloff=Falloff.NONE,
                cone=38.0,
                softness=1.0,
            ),
            Lamp(
                id="moon",
                name="Moon through the branches",
                kind=LampKind.SPOT,
                position=(-1.1, 1.5, 0.9),
                pan=-22.0,
                tilt=-31.0,
                colour="#b9c8f2",
                brightness=0.5,
                falloff=Falloff.NONE,
                cone=62.0,
                softness=0.5,
                gobo=Gobo(shape=GoboShape.LEAVES, blur=0.02, seed=4),
            ),
            Lamp(id="dim", name="Night", kind=LampKind.AMBIENT, brightness=0.16, colour="#8fa3d8"),
        ),
    )
    # The branches sway a little.
    for frame, turn in ((0, -22.0), (52, -20.6), (96, -21.8), (139, -20.9)):
        shot = _keyed(shot, frame, "set_lamp", lamp="moon", pan=turn)
    return shot
