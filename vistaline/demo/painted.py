"""A print from the drawer, raised by a few painted depths: the keeper before water and hill.

Strokes say how far away water, hill, keeper and ground are; his outline and the hill's, cut out,
keep them apart.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np

from vistaline.core.depth.sources import DepthStroke, FromStrokes
from vistaline.core.depth.step import Seen
from vistaline.core.depth.steps import nearness_of
from vistaline.core.edits.reliefs import middle_of
from vistaline.core.files import write_atomically
from vistaline.core.geometry.optics import covering_focal_length
from vistaline.core.picture.still import encode_png
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.layer import PictureRef
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import FrameFormat, Layer, Shot, TakingCamera
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import Box, Relief
from vistaline.demo.gallery import KEEPER
from vistaline.demo.raised import outline_of

__all__ = ["painted_print"]

_NEAR, _FAR = 2.0, 14.0
_FRAME = (1080, 1280)
# Points as shares of the print, and the nearness of the stroke's two ends.
_STROKES: tuple[tuple[tuple[tuple[float, float], ...], float, float], ...] = (
    (((0.05, 0.03), (0.95, 0.03)), 0.0, 0.0),
    (((0.08, 0.10), (0.08, 0.70)), 0.06, 0.55),
    (((0.62, 0.08), (0.60, 0.34)), 0.06, 0.30),
    (((0.94, 0.25), (0.92, 0.70)), 0.34, 0.62),
    (((0.66, 0.46), (0.62, 0.74)), 0.40, 0.62),
    (((0.37, 0.26), (0.39, 0.74)), 0.72, 0.74),
    (((0.345, 0.27), (0.40, 0.27)), 0.72, 0.72),
    (((0.29, 0.36), (0.28, 0.70)), 0.72, 0.74),
    (((0.48, 0.35), (0.55, 0.50)), 0.72, 0.72),
    (((0.06, 0.80), (0.06, 0.97)), 0.76, 1.0),
    (((0.90, 0.88), (0.92, 0.97)), 0.82, 1.0),
)


def painted_print(folder: Path, dusk: Shot, drawer: Shot) -> Shot:
    """Write the map of the drawer's print of the keeper, and return a shot of it as a relief."""
    ref = drawer.pictures["the-keeper"]
    photo = cv2.imread(str(folder / ref.file))
    assert photo is not None
    height, width = photo.shape[:2]
    seen = Seen(
        picture=cv2.cvtColor(photo, cv2.COLOR_BGR2RGB),
        cutouts={
            name: _part(folder, dusk, name, (width, height)) for name in ("keeper", "headland")
        },
    )
    strokes = tuple(
        DepthStroke(
            points=tuple((x * width, y * height) for x, y in points), width=18, value=one, to=other
        )
        for points, one, other in _STROKES
    )
    steps = [FromStrokes(strokes=strokes)]
    codes = np.rint(nearness_of(steps, seen) * 65535).astype(np.uint16)
    file = "pictures/gallery-the-keeper-depth.png"
    write_atomically(folder / file, encode_png(np.dstack([codes] * 3)))
    frame = FrameFormat(width=_FRAME[0], height=_FRAME[1], duration=120)
    middle = middle_of(_NEAR, _FAR)
    box: Box = (0.0, 0.0, float(width), float(height))
    stands = Relief(box=box, depth="depth", at=middle, near=_NEAR, far=_FAR)
    covering = covering_focal_length(35, frame=frame.size, picture=(width, height))
    framings = (
        Framing(frame=0, name="As it lay", position=(-0.07, 0.02, -0.12)),
        Framing(frame=119, name="Round him", position=(0.1, 0.0, -0.26), ease="ease-in-out"),
    )
    return Shot(
        name="The keeper's print",
        frame=frame,
        background="#17130f",
        taking_camera=TakingCamera(width=width, height=height, focal_length=covering / 1.08),
        pictures={
            "print": ref,
            "depth": PictureRef(file=file, width=width, height=height),
        },
        layers=(
            Layer(
                name="The keeper",
                shows=PictureShown(picture="print"),
                stands=stands,
                distance=middle,
            ),
        ),
        cameras=(Camera(route=Route(framings=framings)),),
    )


def _part(folder: Path, dusk: Shot, name: str, size: tuple[int, int]) -> np.ndarray:
    """Return the outline of a layer in the print, uint8 (height, width)."""
    whole = outline_of(folder, dusk, name)
    rows, columns = whole.shape
    left, top, wide, tall = KEEPER
    part = whole[
        round(top * rows) : round((top + tall) * rows),
        round(left * columns) : round((left + wide) * columns),
    ]
    return (cv2.resize(part, size, interpolation=cv2.INTER_CUBIC).clip(0, 1) * 255).astype(np.uint8)
