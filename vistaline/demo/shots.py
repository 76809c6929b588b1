"""The demo's shots as shot files with their pictures."""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import tempfile
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import cv2
import numpy as np

from vistaline.core.files import write_atomically
from vistaline.core.formats.filmfile import write_film_file
from vistaline.core.formats.shotfile import write_shot_file
from vistaline.core.geometry.optics import covering_focal_length
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import FrameFormat, Layer, PictureRef, Shot, TakingCamera
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import Box, Taken
from vistaline.core.timing import parse_rate
from vistaline.demo.directed import (
    lamp_holds,
    lamp_room,
    light_turns,
    racked,
    tour,
    watcher,
)
from vistaline.demo.drawing import Picture, to_codes
from vistaline.demo.dressed import fog_night, leaf_by_lamplight, room_at_evening
from vistaline.demo.finished import three_harbours
from vistaline.demo.gallery import write_gallery
from vistaline.demo.headland import CANVAS, LAYERS
from vistaline.demo.laid import film_of_three, four_prints, log_is_read
from vistaline.demo.painted import painted_print
from vistaline.demo.plates import flattened
from vistaline.demo.raised import draw_raised, past_the_head
from vistaline.demo.street import harbour_street
from vistaline.demo.windy import draw_windy, wind_gets_up

__all__ = ["write_demo_files"]

_OVERSCAN = 1.2
"""The canvas shows this much more than the frame, so that the camera may travel."""


def write_demo_files(folder: Path) -> list[Path]:
    """Write the demo's shots and their pictures; returns the shot files, and last the film's.

    They are drawn once, and kept in the account's cache for as long as the drawings' code is the
    same.
    """
    kept = _kept_at()
    kept.parent.mkdir(parents=True, exist_ok=True)
    with (kept.parent / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)  # another process may be drawing them just now
        if not kept.exists():
            with tempfile.TemporaryDirectory(dir=kept.parent) as beside:
                drawn = Path(beside) / "demo"
                order = [path.name for path in _draw_all(drawn)]
                (drawn / _ORDER).write_text("\n".join(order))
                drawn.rename(kept)
    shutil.copytree(kept, folder, dirs_exist_ok=True)
    (folder / _ORDER).unlink()
    return [folder / name for name in (kept / _ORDER).read_text().split("\n")]


_ORDER = "order.txt"


def _kept_at() -> Path:
    """Return where the drawn files are kept: a folder named by the code that makes them.

    All of core's, too: shots are made by its edits and written in its file's form.
    """
    code, here = hashlib.sha256(), Path(__file__).parent
    for source in sorted([*here.glob("*.py"), *(here.parent / "core").rglob("*.py")]):
        code.update(source.read_bytes())
    cache = os.environ.get("VISTALINE_CACHE") or Path.home() / ".cache" / "vistaline"
    return Path(cache) / "demo" / code.hexdigest()[:24]


def _draw_all(folder: Path) -> list[Path]:
    """Draw the demo's pictures, on all cores, and write its shots; returns the shot files."""
    with ProcessPoolExecutor(os.cpu_count(), mp_context=get_context("spawn")) as pool:
        # The longest first, so that no core is left with one of them at the end.
        room, street = pool.submit(lamp_room, folder), pool.submit(harbour_street, folder)
        layers = {name: pool.submit(_draw, name, folder) for name in LAYERS}
        leaf = pool.submit(tour, folder)
        windy = pool.submit(draw_windy, folder)
        dusk = _dusk({name: drawn.result() for name, drawn in layers.items()})
        drawer = write_gallery(folder, flattened(folder, dusk)[0])
        boxes = {name: drawn.result() for name, drawn in layers.items()}
        rooms = room.result(), street.result(), leaf.result()
    paths = []
    made: dict[str, Shot] = {}
    for name, shot in (
        ("dusk-at-sallow-head", racked(dusk)),
        ("the-keeper", _keeper(boxes)),
        ("from-the-drawer", drawer),
        ("a-leaf-of-the-logbook", rooms[2]),
        ("the-watcher", watcher(dusk)),
        ("the-lamp-holds", lamp_holds(dusk)),
        ("the-light-turns", light_turns(dusk)),
        ("the-lamp-room", rooms[0]),
        ("harbour-street", rooms[1]),
        ("fog-at-sallow-head", fog_night(dusk)),
        ("evening-in-the-lamp-room", room_at_evening(rooms[0])),
        ("a-leaf-by-lamplight", leaf_by_lamplight(rooms[2])),
        ("three-harbours", three_harbours(drawer, rooms[1])),
        ("four-prints", four_prints(drawer)),
        ("the-log-is-read", log_is_read(drawer)),
        ("a-wind-gets-up", wind_gets_up(dusk, windy.result())),
        ("past-the-head", past_the_head(dusk, draw_raised(folder, dusk))),
        ("the-keepers-print", painted_print(folder, dusk, drawer)),
    ):
        path = folder / f"{name}.json"
        write_shot_file(shot, path, {key: ref.file for key, ref in shot.pictures.items()})
        paths.append(path)
        made[name] = shot
    in_film = {name: made[name] for name in FILM}
    write_film_file(film_of_three(in_film), folder / "film.json", {x: f"{x}.json" for x in FILM})
    return [*paths, folder / "film.json"]


FILM = ("dusk-at-sallow-head", "four-prints", "the-log-is-read")
"""The shots of the demo's film, in its order."""


def _key(name: str) -> str:
    return name.lower().replace(" ", "-")


def _file(name: str) -> str:
    # The sky has no transparency and a grain that PNG would store at great length.
    return f"pictures/{_key(name)}.{'jpg' if name == 'Sky' else 'png'}"


def _draw(name: str, folder: Path) -> Box:
    picture, box = _cropped(LAYERS[name][1]())
    codes = to_codes(picture)
    path = folder / _file(name)
    if path.suffix == ".jpg":
        bgr = cv2.cvtColor(codes, cv2.COLOR_RGBA2BGR)
        _, data = cv2.imencode(".jpg", bgr, [cv2.IMWRITE_JPEG_QUALITY, 95])
    else:
        bgra = cv2.cvtColor(codes, cv2.COLOR_RGBA2BGRA)
        _, data = cv2.imencode(".png", bgra, [cv2.IMWRITE_PNG_COMPRESSION, 3])
    write_atomically(path, data.tobytes())
    return box


def _cropped(picture: Picture) -> tuple[Picture, Box]:
    """Return the part that is not transparent, and its place in the canvas."""
    seen = picture[..., 3] > 1 / 510
    rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
    y0, y1, x0, x1 = rows[0], rows[-1] + 1, columns[0], columns[-1] + 1
    return picture[y0:y1, x0:x1], (float(x0), float(y0), float(x1 - x0), float(y1 - y0))


def _stage(boxes: dict[str, Box], distance: Callable[[str], float]) -> dict[str, object]:
    return {
        "pictures": {
            _key(name): PictureRef(file=_file(name), width=int(box[2]), height=int(box[3]))
            for name, box in boxes.items()
        },
        "layers": tuple(
            Layer(
                name=name,
                shows=PictureShown(picture=_key(name)),
                stands=Taken(box=box),
                distance=distance(name),
            )
            for name, box in boxes.items()
        ),
    }


def _taking_camera(frame: FrameFormat) -> TakingCamera:
    covering = covering_focal_length(35, frame=frame.size, picture=CANVAS)
    return TakingCamera(width=CANVAS[0], height=CANVAS[1], focal_length=covering / _OVERSCAN)


def _dusk(boxes: dict[str, Box]) -> Shot:
    frame = FrameFormat(duration=192)
    return Shot(
        name="Dusk at Sallow Head",
        frame=frame,
        background="#18203a",
        taking_camera=_taking_camera(frame),
        **_stage(boxes, lambda name: LAYERS[name][0]),  # type: ignore[arg-type]
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(
                            frame=0, name="From the reeds", position=(-0.10, -0.015, 0.0), pan=-1.0
                        ),
                        Framing(
                            frame=191,
                            name="Towards the lamp",
                            position=(0.08, -0.01, -0.26),
                            pan=-2.0,
                            tilt=0.4,
                            ease="ease-in-out",
                        ),
                    )
                )
            ),
        ),
    )


def _keeper(boxes: dict[str, Box]) -> Shot:
    frame = FrameFormat(width=1080, height=1920, rate=parse_rate("25"), duration=150)
    return Shot(
        name="The keeper waits",
        frame=frame,
        background="#18203a",
        taking_camera=_taking_camera(frame),
        **_stage(boxes, lambda name: LAYERS[name][0]),  # type: ignore[arg-type]
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(frame=0, name="The bay", position=(-0.2, 0.0, -0.1), lens=32),
                        Framing(
                            frame=149,
                            name="The keeper",
                            position=(-0.3, -0.05, -0.5),
                            lens=36,
                            ease=(0.3, 0.0, 0.2, 1.0),
                        ),
                    )
                )
            ),
        ),
    )
