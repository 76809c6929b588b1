"""Photographs that nobody here took, with their subjects; and somebody who points at these.

The pictures are scikit-image's and those of Debian's ``opencv-doc``, which ``scripts/setup test``
puts into ``var/photographs``. Subjects are polygons in ``subjects.json``: drawn by hand, then led
along the edge within six pixels, and looked at. A butterfly's feelers are left out.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data
from skimage.graph import route_through_array

from vistaline.core.geometry.edges import Direction, Edge

FOLDER = Path(__file__).parents[1] / "var" / "photographs"
POLYGONS: dict[str, list[int]] = json.loads(Path(__file__).with_name("subjects.json").read_text())
SUBJECTS = tuple(POLYGONS)[:8]
"""What is pointed at."""
CLEAR = ("apple.jpg", "orange.jpg", "butterfly.jpg", "coffee", "camera", "retina", "fruits.jpg",
         "motorcycle")  # fmt: skip
"""Those with one clear subject, or nearly."""
BOARDS = (1, 2, 3, 4, 5, 6, 7, 8, 9, 11, 12, 13, 14)
"""Numbers of opencv-doc's photographs of a chessboard."""


def photograph(name: str) -> np.ndarray:
    """Return a picture as uint8 (height, width, 3): a file's name, or one of scikit-image's."""
    if name == "motorcycle":
        return np.ascontiguousarray(skimage.data.stereo_motorcycle()[0])
    if "." not in name:
        data = getattr(skimage.data, name)()
        return np.ascontiguousarray(data[..., :3] if data.ndim == 3 else np.dstack([data] * 3))
    if not FOLDER.exists():
        pytest.skip(f"the photographs are not in {FOLDER}: scripts/setup test fetches them")
    data = cv2.imread(str(FOLDER / name))
    assert data is not None, f"{name} is not in {FOLDER}"
    return cv2.cvtColor(data, cv2.COLOR_BGR2RGB)


def subject_of(name: str, picture: np.ndarray) -> np.ndarray:
    """Return bool (height, width): the subject of a photograph."""
    mask = np.zeros(picture.shape[:2], np.uint8)
    cv2.fillPoly(mask, [np.array(POLYGONS[name]).reshape(-1, 2)], 1)
    return mask > 0


def board(name: str) -> tuple[list[Edge], tuple[int, int]]:
    """Return three rows and three columns of a chessboard, each by three points; and the size.

    OpenCV finds the corners; whole numbers are pixels' middles there, and corners here.
    """
    grey = cv2.cvtColor(photograph(name), cv2.COLOR_RGB2GRAY)
    found, corners = cv2.findChessboardCorners(grey, (9, 6))
    assert found
    corners = cv2.cornerSubPix(grey, corners, (5, 5), (-1, -1), (3, 50, 1e-4))
    grid = corners.reshape(6, 9, 2).astype(float) + 0.5
    lines = [(grid[row, [0, 8, 4]], Direction.ACROSS) for row in (0, 2, 5)]
    lines += [(grid[[0, 5, 2], column], Direction.UP) for column in (0, 4, 8)]
    edges = [Edge(*map(tuple, ends), along, tuple(third)) for (*ends, third), along in lines]
    return edges, (grey.shape[1], grey.shape[0])


def leaves() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return a plant's picture, its published alpha (0..1), and where that is unsure (bool)."""
    picture = photograph("plant.jpg")
    alpha, sure = (
        cv2.imread(str(FOLDER / name), cv2.IMREAD_GRAYSCALE)
        for name in ("plant_result.png", "plant-trimap.png")
    )
    assert alpha is not None and sure is not None
    return picture, alpha / np.float32(255), (sure > 5) & (sure < 250)


def drawn_of(alpha: np.ndarray) -> np.ndarray:
    """Return the mask (uint8) that a hand would draw of an alpha, without hairs and leaves."""
    return cv2.morphologyEx((alpha > 0.5).astype(np.uint8) * 255, cv2.MORPH_OPEN, np.ones((9, 9)))


def halved(name: str) -> tuple[np.ndarray, np.ndarray]:
    """Return a photograph of whole blocks of 16 pixels, and its half by area; float32, 0..1."""
    whole = photograph(name).astype(np.float32) / 255
    height, width = (side // 16 * 16 for side in whole.shape[:2])
    whole = np.ascontiguousarray(whole[:height, :width])
    return whole, cv2.resize(whole, (width // 2, height // 2), interpolation=cv2.INTER_AREA)


def overlap(found: np.ndarray, true: np.ndarray) -> float:
    """Return intersection over union."""
    return float((found & true).sum() / (found | true).sum())


def overlaps(
    guess: Callable[[np.ndarray, np.ndarray], np.ndarray], true: np.ndarray, strokes: int
) -> Iterator[float]:
    """Yield how well a guess fits, first with no stroke and then after each.

    ``guess`` is given strokes over the subject and beside it (bool), and returns bool. Whoever
    draws them goes through the middle of what is most wrong.
    """
    this, beside = np.zeros(true.shape, bool), np.zeros(true.shape, bool)
    found = guess(this, beside)
    yield overlap(found, true)
    for _ in range(strokes):
        missing, more = _solid(true & ~found), _solid(found & ~true)
        if missing.any() or more.any():
            if _largest(missing).sum() >= _largest(more).sum():
                this |= _stroke_through(_largest(missing))
            else:
                beside |= _stroke_through(_largest(more))
            found = guess(this, beside)
        yield overlap(found, true)


def _solid(wrong: np.ndarray) -> np.ndarray:
    """Return what is wrong but for rims that nobody would stroke."""
    return cv2.morphologyEx(wrong.astype(np.uint8), cv2.MORPH_OPEN, np.ones((5, 5))) > 0


def _largest(wrong: np.ndarray) -> np.ndarray:
    count, parts, sizes, _ = cv2.connectedComponentsWithStats(wrong.astype(np.uint8), None, None, 4)
    if count < 2:
        return np.zeros(wrong.shape, bool)
    return parts == 1 + sizes[1:, cv2.CC_STAT_AREA].argmax()


def _stroke_through(part: np.ndarray) -> np.ndarray:
    """Return a stroke along the deepest way from one end of a part to the other."""
    framed = cv2.copyMakeBorder(part.astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT)
    depth = cv2.distanceTransform(framed, cv2.DIST_L2, cv2.DIST_MASK_5)[1:-1, 1:-1]
    _, inner = cv2.connectedComponents((depth >= 0.6 * depth.max()).astype(np.uint8))
    deepest = np.unravel_index(depth.argmax(), depth.shape)
    inside = inner == inner[deepest]
    places = np.argwhere(inside)

    def farthest(place: np.ndarray) -> np.ndarray:
        return places[np.linalg.norm(places - place, axis=1).argmax()]

    one = farthest(np.array(deepest))
    cost = np.where(inside, 1 / np.maximum(depth, 0.5), 1e6)
    way, _ = route_through_array(cost, one, farthest(one))
    drawn = np.zeros(part.shape, np.uint8)
    width = int(np.clip(0.6 * depth.max(), 3, 16))
    cv2.polylines(drawn, [np.array(way)[:, ::-1].astype(np.int32)], False, 1, width)
    return (drawn > 0) & part
