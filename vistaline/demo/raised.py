"""The head as a relief: bay, shore, rock and tower are one photograph, raised by a map.

The map is of what is drawn: the bay lies level, the head is round, the tower a drum. The keeper and
the reeds stand before it as they were cut.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np

from vistaline.core.depth.steps import nearness_at
from vistaline.core.edits.reliefs import middle_of
from vistaline.core.files import write_atomically
from vistaline.core.picture.still import encode_jpeg, encode_png
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.layer import PictureRef
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import Box, Relief
from vistaline.demo.drawing import noise
from vistaline.demo.headland import CANVAS, HORIZON, RIDGE, TOWER
from vistaline.demo.plates import flattened

__all__ = ["Raised", "draw_raised", "outline_of", "past_the_head"]

_SIZE = (2304, 1296)
_NEAR, _FAR = 2.6, 60.0
"""Metres, of what is white and black on the map."""
_SHORE, _BACK, _FOOT = 40.0, 8.5, 2.6
"""Metres to the far shore, to the head's ridge and to its foot."""
_CUT = ("keeper", "reeds", "beam")
"""Layers that are not in the photograph."""
Raised = dict[str, PictureRef]
"""The photograph and its map."""


def draw_raised(folder: Path, dusk: Shot) -> Raised:
    """Write the photograph and its map, made of the layers drawn for ``dusk``."""
    layers = tuple(each for each in dusk.layers if each.id not in _CUT)
    photo = cv2.resize(
        flattened(folder, dusk.evolve(layers=layers))[0], _SIZE, interpolation=cv2.INTER_AREA
    )
    shore, head = (outline_of(folder, dusk, name) for name in ("far-shore", "headland"))
    codes = np.rint(_nearness(shore, head) * 65535).astype(np.uint16)
    written = {}
    for key, name, data in (
        ("past-the-head", "past-the-head.jpg", encode_jpeg(photo, 94)),
        ("past-the-head-depth", "past-the-head-depth.png", encode_png(np.dstack([codes] * 3))),
    ):
        write_atomically(folder / "pictures" / name, data)
        written[key] = PictureRef(file=f"pictures/{name}", width=_SIZE[0], height=_SIZE[1])
    return written


def outline_of(folder: Path, dusk: Shot, name: str) -> np.ndarray:
    """Return how much of each pixel of the photograph a layer is, 0..1 (height, width)."""
    layer = dusk.layer(name)
    assert layer.box
    file = folder / dusk.pictures[layer.picture].file
    codes = cv2.imread(str(file), cv2.IMREAD_UNCHANGED)
    assert codes is not None
    whole = np.zeros(CANVAS[::-1], np.uint8)
    x, y = (round(side) for side in layer.box[:2])
    whole[y : y + codes.shape[0], x : x + codes.shape[1]] = codes[..., 3]
    return cv2.resize(whole, _SIZE, interpolation=cv2.INTER_AREA).astype(np.float32) / 255


def _nearness(shore: np.ndarray, head: np.ndarray) -> np.ndarray:
    """Return the map, float32 (height, width)."""
    width, height = _SIZE
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    # What lies level is even in 1 / distance, from the horizon down.
    inverse = np.clip((y - HORIZON) / (1 - HORIZON), 0, None) / _FOOT
    inverse = np.where((shore > 0.5) & (y < HORIZON + 0.006), 1 / _SHORE, inverse)
    top = np.interp(x[0], [p[0] for p in RIDGE], [p[1] for p in RIDGE])
    below = np.clip((y - top) / (1 - top), 0, 1)
    rock = 1 / _BACK + (1 / _FOOT - 1 / _BACK) * (1 - (1 - below) ** 1.7)
    # Round towards the water, and rough.
    ground = (head > 0.5) & (y >= top - 1.5 / height)
    inner = cv2.distanceTransform(ground.astype(np.uint8), cv2.DIST_L2, 5) / width
    rough = noise(width, height, cells=(26, 8), octaves=4, seed=42) - 0.5
    rock = rock * (1 - 0.3 * np.exp(-inner / 0.03)) * (1 + 0.05 * rough)
    inverse = np.where(ground, np.maximum(rock, inverse), inverse)
    # What is built on it stands upright where its foot is; the tower is round.
    above = (head > 0.6) & ~ground
    tower = np.abs(x - TOWER) < 0.045
    drum = 1 / 7.0 * (1 + 0.1 * np.sqrt(np.clip(1 - ((x - TOWER) / 0.03) ** 2, 0, 1)))
    inverse = np.where(above, np.where(tower, drum, 1 / 7.6), inverse)
    inverse = np.where(_foot_of_tower(x, y), drum, inverse)
    # So are the cottage's walls, down to where they are drawn.
    walls = (x > 0.808) & (x < 0.872) & (y > 0.44) & (y < 0.528 - (x - 0.808) / 16)
    inverse = np.where(walls, 1 / 7.6, inverse)
    nearness = nearness_at(1 / np.maximum(inverse, 1e-6), _NEAR, _FAR)
    return np.clip(nearness, 0, 1).astype(np.float32)


def _foot_of_tower(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Return where the tower is drawn over the ground it stands on."""
    return (np.abs(x - TOWER) < 0.0285) & (y > 0.45) & (y < 0.56)


def past_the_head(dusk: Shot, drawn: Raised) -> Shot:
    """Return dusk at the head with bay and rock as one relief, and a camera that goes past it."""
    layers = {layer.id: layer for layer in dusk.layers}
    middle = middle_of(_NEAR, _FAR)
    photo, depth = drawn
    box: Box = (0.0, 0.0, float(CANVAS[0]), float(CANVAS[1]))
    head = Layer(
        name="Bay and head",
        shows=PictureShown(picture=photo),
        stands=Relief(box=box, depth=depth, at=middle, near=_NEAR, far=_FAR, texture=False),
        distance=middle,
    )
    kept = {key: dusk.pictures[key] for key in ("keeper", "reeds")}
    return Shot(
        name="Past the head",
        frame=dusk.frame.evolve(duration=168),
        background=dusk.background,
        taking_camera=dusk.taking_camera,
        pictures=drawn | kept,
        layers=(head, layers["keeper"], layers["reeds"]),
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(frame=0, name="Over the bay", position=(-0.09, 0.01, 0.0), pan=1.0),
                        Framing(
                            frame=167,
                            name="Past the rock",
                            position=(0.13, 0.03, -0.32),
                            pan=-2.5,
                            ease="ease-in-out",
                        ),
                    )
                )
            ),
        ),
    )
