"""Shots of the demo in which pictures are laid out in the frame, and the film of three shots."""

from __future__ import annotations

from typing import Any

from vistaline.core import edits
from vistaline.core.film import edits as film_edits
from vistaline.core.film.film import Film, ShotRef
from vistaline.core.looks.fields import ColourField, Stop
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.layer import Layer
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.shows import FieldShown
from vistaline.core.shot.stands import FreeCard

__all__ = ["film_of_three", "four_prints", "log_is_read"]

_PRINTS = ("the-light", "the-keeper", "sunset", "reeds")


def _made(shot: Shot, verb: str, at: int = 0, **arguments: Any) -> Shot:
    return edits.apply(shot, verb, arguments, at=at)


def _table(drawer: Shot, name: str, frames: int, prints: tuple[str, ...]) -> Shot:
    """Return a shot of some of the drawer's prints, before a table that the camera drifts over."""
    table = ColourField(
        kind="radial",
        stops=(Stop(at=0, colour="#4a5a5e"), Stop(at=1, colour="#171f24")),
        width=9,
        height=6,
    )
    layers = [Layer(name="Table", shows=FieldShown(field=table), stands=FreeCard(), distance=4)]
    for key in prints:
        layer = drawer.layer(key)
        layers.append(layer.evolve(group="", pan=0.0, tilt=0.0, roll=0.0, across=0.0, up=0.0))
    framings = (Framing(frame=0), Framing(frame=frames - 1, position=(0.25, 0.1, -0.3)))
    return Shot(
        name=name,
        frame=drawer.frame.evolve(duration=frames),
        background="#171f24",
        taking_camera=drawer.taking_camera,
        pictures={
            layer.picture: drawer.pictures[layer.picture] for layer in layers if layer.picture
        },
        frame_styles=drawer.frame_styles,
        layers=tuple(layers),
        cameras=(Camera(route=Route(framings=framings)),),
    )


def four_prints(drawer: Shot) -> Shot:
    """Return four of the drawer's prints, four up; the keeper's comes forward and goes back."""
    shot = _table(drawer, "Four prints", 192, _PRINTS)
    shot = _made(shot, "lay_out", layers=list(_PRINTS), kind="four")
    (layout,) = shot.layouts
    shot = _made(
        shot, "set_layout", layout=layout.id, frames=192, coming=16, going=14, stagger=60,
        gap=2.4, margin=5, acceleration=80, lift=14,
    )  # fmt: skip
    shot = _made(shot, "set_crop", layer="the-keeper", y=27)
    shot = _made(shot, "set_crop", layer="the-light", y=14)
    shot = _made(shot, "bring_forward", at=64, layer="the-keeper", seconds=3.6)
    # While it is forward, a label is tied to his lantern.
    made = edits.apply(
        shot,
        "add_callout",
        {
            "layer": "the-keeper",
            "frame": 106,
            "x": 1230,
            "y": 560,
            "text": "His lantern, lit at dusk",
        },
        at=106,
    )
    callout = made.callouts[0]
    for part in callout.parts:
        made = _made(made, "set_seen", layer=part, start=90, end=132)
    return _made(made, "set_callout", callout=callout.id, across=17, up=11, type_size=2.4)


def log_is_read(drawer: Shot) -> Shot:
    """Return a page of the logbook that shrinks beside a text, which comes line by line."""
    shot = _table(drawer, "The log is read", 168, ("the-logbook",))
    shot = _made(shot, "set_crop", layer="the-logbook", y=12)
    words = "Oct. 16.  Clear.\nKeeper's boy ill;\nbetter by night.\nPainted the gallery rail."
    before = {layer.id for layer in shot.layers}
    shot = _made(shot, "free_room", layer="the-logbook", text=words, colour="#26343a")
    (layout,) = shot.layouts
    shot = _made(
        shot, "set_layout", layout=layout.id, kind="part", shape="picture", frames=168,
        coming=28, goes=False, before=12, across=-23, up=0, size=33, turn=1.5, room=56,
        margin=6, acceleration=85, lift=12,
    )  # fmt: skip
    title = next(x.id for x in shot.layers if x.id not in before and x.title)
    look = {"face": "playfair", "weight": 500, "line_spacing": 135, "fill": "#f3e9d2"}
    shot = _made(shot, "set_title", layer=title, **look)
    return _made(
        shot, "set_passage", layer=title, way="arrives", how="risen", by="line", start=58,
        frames=52, overlap=40, distance=40,
    )  # fmt: skip


def film_of_three(shots: dict[str, Shot]) -> Film:
    """Return the film of three shots, by their files' names without their endings."""
    film = Film(name="The light at Sallow Head")
    for key, shot in shots.items():
        ref = ShotRef(
            file=f"{key}.json", name=shot.name, frames=shot.duration, rate=shot.frame.rate
        )
        film = film_edits.apply(film, "add_piece", {"key": key, "shot": ref})
    steps: tuple[tuple[str, dict[str, Any]], ...] = (
        ("trim_piece", {"piece": "p1", "first": 40, "last": 167}),
        ("set_join", {"piece": "p2", "kind": "dissolve", "frames": 24}),
        ("set_join", {"piece": "p3", "kind": "swish", "frames": 16, "side": "left"}),
        ("set_join", {"piece": "*end", "kind": "dip", "frames": 48}),
    )
    for verb, values in steps:
        film = film_edits.apply(film, verb, values)
    return film
