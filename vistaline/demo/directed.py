"""The demo's shots that are about camera work: a tour, a cut at the peak, a dolly zoom."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np

from vistaline.core import edits
from vistaline.core.files import write_atomically
from vistaline.core.looks.fields import ColourField, Stop
from vistaline.core.picture.still import encode_jpeg
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import FrameFormat, Ground, Layer, PictureRef, Shot, TakingCamera
from vistaline.core.shot.shows import FieldShown, PictureShown
from vistaline.core.shot.stands import FreeCard, Taken
from vistaline.core.timing import parse_rate
from vistaline.demo.drawing import to_codes
from vistaline.demo.headland import figure
from vistaline.demo.lamproom import EYE, LENS, back_wall, draw_lamp_room
from vistaline.demo.lamproom import SIZE as ROOM
from vistaline.demo.logbook import SIZE, draw_leaf

__all__ = ["lamp_holds", "lamp_room", "light_turns", "tour", "watcher"]


def _made(shot: Shot, verb: str, **arguments: Any) -> Shot:
    return edits.apply(shot, verb, arguments)


def _keyed(shot: Shot, at: int, verb: str, **arguments: Any) -> Shot:
    return edits.apply(shot, verb, arguments, at=at, auto_key=True)


def tour(folder: Path) -> Shot:
    """Draw the logbook's leaf and return a tour of its panels, each a rectangle drawn on it."""
    file = "pictures/logbook-leaf.jpg"
    write_atomically(folder / file, encode_jpeg(draw_leaf(), 93))
    table = ColourField(
        kind="radial",
        stops=(Stop(at=0, colour="#5b4a3a"), Stop(at=1, colour="#1f1813")),
        width=8,
        height=6,
    )
    whole = 3.3  # metres from the page: all of it is seen
    shot = Shot(
        name="A leaf of the logbook",
        frame=FrameFormat(duration=49, rate=parse_rate("23.976")),
        background="#1f1813",
        taking_camera=TakingCamera(width=1920, height=1080, focal_length=35),
        pictures={"leaf": PictureRef(file=file, width=SIZE[0], height=SIZE[1])},
        layers=(
            Layer(name="Table", shows=FieldShown(field=table), stands=FreeCard(), distance=2.2),
            Layer(
                name="Leaf",
                shows=PictureShown(picture="leaf"),
                stands=FreeCard(width=1.2),
                distance=2,
            ),
        ),
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(frame=0, hold=48, name="The leaf", position=(0, 0, whole - 2)),
                    )
                )
            ),
        ),
    )
    # The page is 1.2 m wide; how many frame pixels that is follows from lens and distance.
    across = 35 / 36 * 1920 * 1.2 / whole
    metres = across / SIZE[0]
    stops = (
        ("The keeper writes", (250, 700, 1750, 1544), -1.5),
        ("Tides", (230, 2310, 1410, 2974), 1.2),
        ("The head", (1530, 2320, 2760, 3012), 0.0),
        ("The lamp", (1200, 3400, 2780, 4289), 2.0),
    )
    for n, (name, (x0, y0, x1, y1), roll) in enumerate(stops, start=1):
        corners = {
            key: side / 2 + (value - page / 2) * metres
            for key, value, page, side in (
                ("x0", x0, SIZE[0], 1920), ("x1", x1, SIZE[0], 1920),
                ("y0", y0, SIZE[1], 1080), ("y1", y1, SIZE[1], 1080),
            )
        }  # fmt: skip
        shot = _made(shot, "frame_rectangle", frame=0, layer="leaf", travel=36, hold=48, **corners)
        shot = _made(shot, "set_framing", framing=n, name=name, roll=roll)
        shot = _made(shot, "set_ease", framing=n, ease="cubic-in-out")
    return _made(shot, "back_to_first", travel=48)


def racked(dusk: Shot) -> Shot:
    """The dusk with its focus: on the reeds first, then it goes over to the tower."""
    shot = _made(dusk, "set_opening", f_number=2)
    reeds, tower = dusk.layer("reeds").distance, dusk.layer("headland").distance
    # From the camera, which comes nearer meanwhile; see the route.
    shot = _made(shot, "set_focus", focus=reeds - 0.03)
    for frame, metres in ((36, reeds - 0.03), (108, tower - 0.16)):
        shot = _keyed(shot, frame, "set_focus", focus=metres)
    return shot


def watcher(dusk: Shot) -> Shot:
    """Two cameras, each with its focus: from behind a wall's edge, and at the fastest frame a cut
    to the longer lens, which keeps the keeper sharp."""
    shot = dusk.evolve(
        name="The watcher",
        frame=FrameFormat(duration=120),
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(
                            frame=0, hold=12, name="Behind the wall", position=(-0.16, 0, -0.12)
                        ),
                        Framing(frame=107, hold=12, name="Past it", position=(0.15, 0, -0.2)),
                    )
                )
            ),
        ),
    )
    shot = _made(shot, "add_occluder", kind="edge")
    shot = _made(shot, "set_shake", frequency=1.2, turn=0.2, travel=0.002, seed=8)
    shot = _made(shot, "add_camera")
    shot = _made(shot, "rename_camera", name="Close")
    shot = _made(shot, "set_framing", framing=0, across=-0.36, up=-0.14, forward=0.5, lens=50)
    shot = _made(shot, "set_framing", framing=1, across=-0.1, up=-0.14, forward=0.62, lens=50)
    shot = _made(shot, "set_opening", f_number=2)
    shot = _made(shot, "keep_in_focus", layer="keeper")
    shot = _made(shot, "cut_to", frame=60, camera="b", fastest=True)
    shot = _made(shot, "direct_camera", camera="a")
    shot = _made(shot, "set_opening", f_number=4)
    shot = _made(shot, "keep_in_focus", layer="headland")
    return _made(shot, "set_motion_blur", motion_blur=True)


def lamp_holds(dusk: Shot) -> Shot:
    """A dolly zoom: the tower stays as large as it is while everything round it changes."""
    shot = dusk.evolve(
        name="The lamp holds",
        frame=FrameFormat(duration=120),
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(
                            frame=0, hold=12, name="From afar", position=(0.12, 0.1, 0.3), lens=40
                        ),
                        Framing(
                            frame=107,
                            hold=12,
                            name="Right before it",
                            position=(0.5, 0.22, -0.9),
                            ease="sine-in-out",
                        ),
                    )
                )
            ),
        ),
    )
    return _made(shot, "keep_size", framing=1, layer="headland")


def light_turns(dusk: Shot) -> Shot:
    """Keys: the beam turns and pales, the reeds sway in the wind, a title changes."""
    shot = dusk.evolve(
        name="The light turns",
        frame=FrameFormat(duration=168),
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(frame=0, name="The reeds", position=(0.0, -0.02, 0.0)),
                        Framing(frame=167, name="The light", position=(0.05, -0.02, -0.12)),
                    )
                )
            ),
        ),
    )
    for n, (frame, percent) in enumerate(((0, 100), (56, 12), (112, 100), (167, 12))):
        shot = _keyed(shot, frame, "set_opacity", layer="beam", percent=percent)
        shot = _keyed(shot, frame, "turn_layer", layer="beam", pan=35 if n % 2 else 0)
    shot = _made(shot, "set_pivot", layer="reeds", up=-50)
    for frame, roll in ((0, -0.8), (46, 1.0), (88, -0.5), (128, 0.9), (167, -0.6)):
        shot = _keyed(shot, frame, "turn_layer", layer="reeds", roll=roll)
    shot = _made(shot, "add_title", text="Every twelve seconds")
    title = shot.layers[-1].id
    shot = _made(shot, "move_in_depth", layer=title, distance=1.6)
    shot = _made(shot, "move_layer", layer=title, across=-0.22, up=0.29)
    shot = _made(shot, "set_title", layer=title, face="playfair", size=0.075)
    shot = _keyed(shot, 96, "set_title", layer=title, text="the light goes round")
    shot = _keyed(shot, 140, "set_title", layer=title, fill="#f2a65a")
    return _made(shot, "rename_layer", layer=title, name="Title")


def lamp_room(folder: Path) -> Shot:
    """Draw the lamp room and return a walk into it: floor, walls and ceiling catch one picture."""
    room, keeper = "pictures/lamp-room.jpg", "pictures/keeper-alone.png"
    write_atomically(folder / room, encode_jpeg(draw_lamp_room(), 93))
    codes = to_codes(figure())
    rows, columns = (np.flatnonzero(codes[..., 3].max(axis=axis)) for axis in (1, 0))
    alone = codes[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    _, data = cv2.imencode(".png", cv2.cvtColor(alone, cv2.COLOR_RGBA2BGRA))
    write_atomically(folder / keeper, data.tobytes())
    tall = 1.78
    shot = Shot(
        name="The lamp room",
        frame=FrameFormat(duration=144),
        background="#14100d",
        taking_camera=TakingCamera(width=ROOM[0], height=ROOM[1], focal_length=LENS),
        ground=Ground(horizon=ROOM[1] / 2, eye_height=EYE),
        pictures={
            "room": PictureRef(file=room, width=ROOM[0], height=ROOM[1]),
            "keeper": PictureRef(file=keeper, width=alone.shape[1], height=alone.shape[0]),
        },
        layers=(
            Layer(
                name="Room",
                shows=PictureShown(picture="room"),
                stands=Taken(box=(0, 0, *ROOM)),
                distance=8,
            ),
        ),
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(
                            frame=0, hold=12, name="At the door", position=(0, 0, -0.2), lens=24
                        ),
                        Framing(
                            frame=131,
                            hold=12,
                            name="By the keeper",
                            position=(-0.6, 0.4, -1.1),
                            pan=-6,
                            tilt=-6,
                            lens=24,
                            ease="sine-in-out",
                        ),
                    )
                )
            ),
        ),
    )
    x0, y0, x1, y1 = back_wall()
    shot = _made(shot, "project_on_room", layer="room", x0=x0, y0=y0, x1=x1, y1=y1)
    stands = Layer(
        name="Keeper",
        shows=PictureShown(picture="keeper"),
        stands=FreeCard(width=tall * alone.shape[1] / alone.shape[0]),
        distance=4.5,
        across=0.15,
        up=tall / 2 - EYE,
    )
    return shot.evolve(layers=(*shot.layers, stands))
