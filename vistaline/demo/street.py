"""The demo's shot of the harbour street: one picture, on the street that is seen in it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from vistaline.core import edits
from vistaline.core.files import write_atomically
from vistaline.core.picture.still import encode_jpeg
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import FrameFormat, Ground, Layer, PictureRef, Shot, TakingCamera
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import Taken
from vistaline.demo import harbour
from vistaline.demo.harbour import Place

__all__ = ["harbour_street"]

_FAR: list[Place] = [(-120, 70, -90), (180, 70, -90), (180, -45, -90), (-120, -45, -90)]


def _edges() -> list[dict[str, Any]]:
    """Return what would be marked: along the houses, over the store's front, up its corners."""
    wall = harbour.HOUSES[0][0]
    ends: list[tuple[Place, Place, str]] = [
        *(((wall, y, -5.0), (wall, y, -15.0), "deep") for y in (0.35, 4.6, 5.5)),
        *(((1.75, y, -8.0), (5.2, y, -8.0), "across") for y in (0.7, 3.8)),
        *(((x, 0.5, -8.0), (x, 3.6, -8.0), "up") for x in (1.7, 5.1)),
    ]
    marks = []
    for a, b, along in ends:
        one, other = harbour.seen([a, b])
        marks.append({"a": one, "b": other, "along": along})
    return marks


def harbour_street(folder: Path) -> Shot:
    """Draw the harbour street, recover its camera by marked edges, and walk down it."""
    files = {"street": "pictures/harbour-street.jpg", "plate": "pictures/harbour-plate.jpg"}
    for file, picture in zip(files.values(), harbour.draw_harbour(), strict=True):
        write_atomically(folder / file, encode_jpeg(picture, 93))
    width, height = harbour.SIZE
    whole = (0, 0, width, height)
    shot = Shot(
        name="Harbour street",
        frame=FrameFormat(duration=144),
        background="#14100d",
        taking_camera=TakingCamera(width=width, height=height, focal_length=35),
        ground=Ground(horizon=height / 2, eye_height=harbour.EYE),
        pictures={
            key: PictureRef(file=file, width=width, height=height) for key, file in files.items()
        },
        layers=(
            Layer(
                id="plate",
                name="Plate",
                shows=PictureShown(picture="plate"),
                stands=Taken(box=whole),
                distance=80,
            ),
            Layer(
                id="street",
                name="Street",
                shows=PictureShown(picture="street"),
                stands=Taken(box=whole),
                distance=90,
            ),
        ),
        cameras=(
            Camera(route=Route(framings=(Framing(frame=0, hold=12, name="The street", lens=35),))),
        ),
    )

    def made(verb: str, **values: Any) -> str:
        nonlocal shot
        shot = edits.apply(shot, verb, values)
        return shot.layers[-1].id

    def plane(name: str, points: list[Place], **more: Any) -> str:
        corners = json.dumps(harbour.seen(points))
        added = made("project_on_plane", layer="plate", corners=corners, **more)
        return made("rename_layer", layer=added, name=name)

    made("mark_edges", edges=json.dumps(_edges()), within=0.8)
    made("see_as_marked")
    plane("Sea and sky", _FAR, stands="free")
    plane("Cobbles", harbour.STREET)
    plane("Houses", harbour.HOUSES)
    store = plane("Net store", harbour.FRONT)
    made("grow_surface", layer=store, side="left", angle=-90, length=5)
    x, y, z, radius = harbour.BUOY
    left, right, top, foot = harbour.seen(
        [(x - radius, y, z), (x + radius, y, z), (x, y + radius, z), (x, 0.0, z)]
    )
    made("set_hidden", layer="plate", hidden=True)
    buoy = made("add_body", body="ball", x0=left[0], x1=right[0], y0=top[1], y1=foot[1])
    made("rename_layer", layer=buoy, name="Buoy")
    first = shot.route.framings[0]
    made("add_framing", frame=131)
    made(
        "set_framing",
        framing=1,
        name="At the store",
        across=0.5,
        up=0.55,
        forward=2.6,
        pan=first.pan + 3,
        tilt=-3,
    )
    made("set_ease", framing=1, ease="sine-in-out")
    return shot
