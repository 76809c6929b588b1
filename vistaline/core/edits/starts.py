"""Starting points of what is in the light and air: sensible values, told for a stage of 1 m.

Lengths and speeds are for something that is looked at from 1 m away; they are enlarged to the stage
that they are put on.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

from vistaline.core.shot.air import Emits, Fog, Particles, Shape, Veils
from vistaline.core.shot.beams import Flare, Glow, Rays, Shaft
from vistaline.core.shot.dressing import Dressing

__all__ = ["STARTS", "enlarged"]

LENGTHS = frozenset(
    {
        *("visibility", "base", "thins", "grain", "drift", "nearest", "farthest", "height"),
        *("position", "size", "radius", "speed", "gravity", "turbulence", "whirls"),
        *("width", "length"),
    }
)
"""Fields that are metres, or metres by seconds: they grow with the stage. Glow and flare have
none of them: their sizes are shares of the frame."""


@dataclass(frozen=True)
class Start:
    """A starting point."""

    words: str
    """What a person reads."""
    hint: str
    thing: Dressing
    """At 1 m; its place is from the camera."""
    sliders: tuple[str, ...]
    """The two or three values that are turned most."""


def _air(**values: object) -> Particles:
    place = {"position": (0.0, 0.0, -0.8), "size": (1.5, 0.9, 1.2)}
    return Particles.model_validate({"id": "d", "name": "d"} | place | values)


_MANY = ("rate", "radius", "opacity")

STARTS: Mapping[str, Start] = MappingProxyType(
    {
        "motes": Start(
            "Motes",
            "Dust that hangs in the light and drifts",
            _air(rate=45, life=8, radius=0.0016, speed=0.012, drift=(0.008, 0.004, 0.0)).evolve(
                turbulence=0.03, whirls=0.3, colour="#fff0d2", colour_end="#fff0d2"
            ),
            _MANY,
        ),
        "embers": Start(
            "Embers",
            "Glowing bits that rise from a fire",
            _air(emits=Emits.FLAT, position=(0.0, -0.35, -0.9), size=(0.6, 0.1, 0.3), rate=28)
            .evolve(life=4, radius=0.0022, grows=0.3, colour="#ffb347", colour_end="#ff3b0a")
            .evolve(speed=0.12, tilt=90, spread=50, gravity=-0.05, drag=0.6, turbulence=0.07)
            .evolve(whirls=0.25, opacity=1.0, fades_in=0.02, fades_out=0.5),
            _MANY,
        ),
        "snow": Start(
            "Snow",
            "Flakes that fall and are blown about",
            _air(position=(0.0, 0.35, -0.9), size=(2.2, 0.7, 1.6), rate=110, life=7)
            .evolve(radius=0.0035, colour="#ffffff", colour_end="#ffffff", speed=0.0, adds=False)
            .evolve(gravity=0.12, drag=1.2, drift=(0.05, 0.0, 0.0), turbulence=0.05, whirls=0.35)
            .evolve(opacity=0.9, fades_in=0.05, fades_out=0.1),
            ("rate", "radius", "gravity"),
        ),
        "rain": Start(
            "Rain",
            "Streaks that fall fast",
            _air(emits=Emits.FLAT, position=(0.0, 0.75, -0.9), size=(2.0, 0.1, 1.4), rate=420)
            .evolve(life=0.9, life_spread=0.0, radius=0.0011, colour="#cdd8e2", spread=4)
            .evolve(colour_end="#cdd8e2", speed=1.7, speed_spread=0.15, tilt=-90, gravity=1.0)
            .evolve(drag=0.2, drift=(0.1, 0.0, 0.0), turbulence=0.0, shape=Shape.STREAK)
            .evolve(stretch=0.035, opacity=0.4, fades_in=0.0, fades_out=0.0),
            ("rate", "speed", "opacity"),
        ),
        "spray": Start(
            "Spray",
            "Drops that are thrown up and fall again",
            _air(emits=Emits.LINE, position=(0.0, -0.3, -0.9), size=(0.8, 0.1, 0.1), rate=320)
            .evolve(life=1.6, life_spread=0.5, radius=0.002, radius_spread=0.8, grows=1.6)
            .evolve(colour="#f2f7fa", colour_end="#dfe9ee", speed=0.55, speed_spread=0.7)
            .evolve(tilt=78, spread=50, gravity=0.6, drag=0.9, turbulence=0.03, adds=False)
            .evolve(opacity=0.55, fades_in=0.02, fades_out=0.6),
            ("rate", "speed", "opacity"),
        ),
        "leaves": Start(
            "Leaves",
            "Leaves that turn as they fall",
            _air(position=(0.0, 0.5, -0.9), size=(2.0, 0.3, 1.2), rate=7, life=7, radius=0.011)
            .evolve(colour="#c98a34", colour_end="#a4581f", speed=0.04, gravity=0.12, drag=0.8)
            .evolve(drift=(0.12, 0.0, 0.0), turbulence=0.14, whirls=0.5, spin=160, adds=False)
            .evolve(shape=Shape.STAR, opacity=1.0, fades_in=0.05, fades_out=0.1),
            ("rate", "radius", "turbulence"),
        ),
        "sparks": Start(
            "Sparks",
            "Bright streaks that are thrown and fall",
            _air(emits=Emits.LINE, position=(0.0, -0.2, -0.9), size=(0.05, 0.05, 0.05), rate=140)
            .evolve(life=0.9, life_spread=0.6, radius=0.0012, grows=0.4, colour="#fff2c4")
            .evolve(colour_end="#ff7a1a", speed=1.1, speed_spread=0.7, tilt=60, spread=70)
            .evolve(gravity=1.6, drag=0.7, turbulence=0.0, shape=Shape.STREAK, stretch=0.05)
            .evolve(opacity=1.0, fades_in=0.0, fades_out=0.4),
            ("rate", "speed", "gravity"),
        ),
        "fireflies": Start(
            "Fireflies",
            "Little lights that come, wander and go",
            _air(position=(0.0, -0.1, -0.8), size=(1.4, 0.4, 1.0), rate=7, life=5, radius=0.004)
            .evolve(colour="#e9ff9a", colour_end="#a8e05f", speed=0.03, drag=0.3, turbulence=0.18)
            .evolve(whirls=0.3, opacity=0.9, fades_in=0.4, fades_out=0.5),
            _MANY,
        ),
        "beam-dust": Start(
            "Dust in a beam",
            "Dust that is seen only where lamps light it",
            _air(rate=170, life=7, radius=0.0011, speed=0.01, drift=(0.006, -0.003, 0.0)).evolve(
                turbulence=0.02, whirls=0.25, lit=True, opacity=1.0
            ),
            _MANY,
        ),
        "fog": Start(
            "Fog",
            "Takes the colour out of what is far away",
            Fog(id="d", name="d", visibility=5, grain=0.8, drift=(0.04, 0.0, 0.0)),
            ("visibility", "uneven"),
        ),
        "mist": Start(
            "Ground mist",
            "Fog that lies low",
            Fog(
                id="d", name="d", visibility=1.6, base=-0.4, thins=0.14, uneven=0.5, grain=0.5
            ).evolve(drift=(0.03, 0.0, 0.0), sky=False),
            ("visibility", "thins", "uneven"),
        ),
        "veils": Start(
            "Veils",
            "Soft sheets of mist that drift at several depths",
            Veils(id="d", name="d", nearest=0.6, farthest=2.5, grain=0.45, drift=(0.06, 0, 0)),
            ("opacity", "count", "grain"),
        ),
        "shaft": Start(
            "Shaft",
            "Light from an opening, in dusty air",
            Shaft(
                id="d", name="d", position=(-0.45, 0.45, -0.9), pan=-65, tilt=-32, width=0.22
            ).evolve(height=0.3, length=1.3, grain=0.15, drift=(0.015, 0.005, 0.0)),
            ("brightness", "length", "dust"),
        ),
        "rays": Start(
            "Rays",
            "What is bright is drawn out, away from a source",
            Rays(id="d", name="d", position=(0.0, 0.2, -1.2)),
            ("threshold", "length", "brightness"),
        ),
        "glow": Start(
            "Glow",
            "What is bright shines over its edges",
            Glow(id="d", name="d"),
            ("threshold", "size", "brightness"),
        ),
        "flare": Start(
            "Flare",
            "A streak and a ring about a light",
            Flare(id="d", name="d", position=(0.0, 0.1, -1.0)),
            ("brightness", "streak", "ring"),
        ),
    }
)
"""By name; in the order in which they are offered."""


def enlarged(thing: Dressing, ratio: float) -> Dressing:
    """Return a thing for a stage ``ratio`` times as large; where it stands grows from the origin.

    What would grow beyond what a value may be stays at its limit.
    """
    changes = {}
    for name in LENGTHS & set(type(thing).model_fields):
        if isinstance(thing, Glow | Flare) and name != "position":
            continue
        value = getattr(thing, name)
        parts = [min(max(each * ratio, -1e6), 1e6) for each in _numbers(value)]
        changes[name] = tuple(parts) if isinstance(value, tuple) else parts[0]
    for name, most in (("radius", 1000.0), ("speed", 1e4), ("gravity", 1000.0)):
        if name in changes:
            changes[name] = min(max(changes[name], -most), most)
    return thing.evolve(**changes)


def _numbers(value: float | tuple[float, ...]) -> tuple[float, ...]:
    return value if isinstance(value, tuple) else (value,)
