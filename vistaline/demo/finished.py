"""The demo's montage: three harbours in two tones, one of them printed, a page on a screen."""

from __future__ import annotations

from vistaline.core import edits
from vistaline.core.looks.fields import ColourField, Stop
from vistaline.core.looks.frame_styles import FrameStyle, Shadow
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.effects import On, Over
from vistaline.core.shot.grading import Tones
from vistaline.core.shot.overlays import Grain, Halftone, Screen, ScreenShape, Vignetting
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import FrameFormat, Layer, Shot, TakingCamera
from vistaline.core.shot.shows import FieldShown, PictureShown
from vistaline.core.shot.stands import FreeCard

__all__ = ["three_harbours"]

_SLATE, _RUST, _PAPER = "#1f2d38", "#e6a57c", "#efe3cf"
_HUNG = (
    # name, picture, width, across, up, distance, roll
    ("Harbour street", "street", 1.5, -0.72, 0.28, 3.3, 1.2),
    ("The bay", "the-bay", 1.62, 0.84, 0.62, 3.8, -0.8),
    ("Sunset", "sunset", 1.0, 0.82, -0.27, 3.0, 1.6),
    ("The keeper", "the-keeper", 0.4, 0.0, -0.2, 2.4, -1.5),
    ("The logbook", "the-logbook", 0.42, -0.78, -0.36, 2.6, 3.0),
)
_HARBOURS = ("Harbour street", "The bay", "Sunset")


def three_harbours(drawer: Shot, street: Shot) -> Shot:
    """Return the montage, of the drawer's prints and the picture of the harbour street."""
    pictures = {key: drawer.pictures[key] for _, key, *_ in _HUNG if key != "street"}
    pictures["street"] = next(iter(street.pictures.values()))
    wall = ColourField(
        kind="radial",
        stops=(Stop(at=0, colour="#d9cbb2"), Stop(at=1, colour="#8c7f6c")),
        width=11,
        height=7,
    )
    layers = [
        Layer(
            name=name,
            shows=PictureShown(picture=key),
            stands=FreeCard(width=width),
            frame_style="Print",
            across=across,
            up=up,
            distance=distance,
            roll=roll,
        )
        for name, key, width, across, up, distance, roll in _HUNG
    ]
    framings = (
        Framing(frame=0, name="All of it"),
        Framing(
            frame=191,
            name="Towards the keeper",
            position=(0.02, -0.06, -0.42),
            ease=(0.4, 0.0, 0.3, 1.0),
        ),
    )
    shot = Shot(
        name="Three harbours",
        frame=FrameFormat(duration=192),
        background="#4a4238",
        taking_camera=TakingCamera(width=1920, height=1080, focal_length=35),
        pictures=pictures,
        frame_styles={
            "Print": FrameStyle(
                border=0.035,
                paper=0.4,
                shadow=Shadow(angle=140, distance=0.12, softness=0.14, strength=0.45),
            )
        },
        layers=(
            Layer(name="Wall", shows=FieldShown(field=wall), stands=FreeCard(), distance=5.0),
            *layers,
        ),
        cameras=(Camera(route=Route(framings=framings)),),
    )
    ids = {layer.name: layer.id for layer in shot.layers}
    group = {"layers": [ids[name] for name in _HARBOURS], "name": "Harbours"}
    shot = edits.apply(shot, "group_layers", group)
    effects = (
        Tones(id="bound", name="Slate and rust", dark=_SLATE, light=_RUST, contrast=1.15).evolve(
            over=Over(kind=On.GROUP, of="Harbours")
        ),
        Halftone(id="printed", name="Printed", pitch=9, angle=30, ink=_SLATE, paper=_PAPER).evolve(
            over=Over(kind=On.LAYER, of=ids["Sunset"]), fixed=ids["Sunset"]
        ),
        Screen(id="screened", name="Screen dots", pitch=13, cover=0.5, amount=0.25).evolve(
            over=Over(kind=On.LAYER, of=ids["The logbook"]),
            fixed=ids["The logbook"],
            shape=ScreenShape.DOTS,
        ),
        Vignetting(id="drawn-in", name="On the keeper", strength=0.72, size=1.15).evolve(
            softness=0.85, colour="#140f0a"
        ),
        Grain(id="grain", name="Grain", strength=0.018, size=1.8),
    )
    shot = shot.evolve(dressing=effects)
    # It stays on the keeper as the camera goes there.
    for frame in (0, 96, 191):
        values = {"thing": "vignette:drawn-in", "layer": ids["The keeper"]}
        shot = edits.apply(shot, "centre_vignette", values, at=frame, auto_key=True)
    return shot
