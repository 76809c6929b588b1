"""What moves while the shutter is open: how far, in how many frames that is shown, and what is
filled in between them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from vistaline.core.arrays import FloatArray, Matrix3
from vistaline.core.render.crew import Crew
from vistaline.core.render.shelf import Shelf
from vistaline.core.render.views import least_blur
from vistaline.core.render.warp import BAND
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import CameraState
from vistaline.core.stage.cards import Card
from vistaline.core.stage.evaluate import FrameState, evaluate
from vistaline.core.stage.surfaces import ClothSurface

__all__ = ["Exposed", "exposed", "filled", "image_move"]

_SEEN_STILL = 0.5
"""Pixels: what moves less while the shutter is open is not seen to."""
_FAR = 4000.0
"""Pixels: the longest way that is reckoned with."""
_FADED = 40.0
"""Pixels of way that fading from all to nothing is as good as."""
_GAP = 2.0
"""Pixels between two frames' pictures that need no filling."""
_EVERY_POINT = 4
"""Points of a cloth between those that are asked how far they go."""
_MOST_UNFILLED = 16
"""Moments at which a cloth is seen at most while the shutter is open: nothing fills its gaps."""
_NEARLY = 0.1
"""Doublings by which a gap may be wider than that."""


@dataclass(frozen=True, eq=False)
class Exposed:
    """A frame as its shutter sees it: some moments, and what goes between them."""

    states: Sequence[FrameState]
    """At the middles of equal parts of the time that it is open."""
    middle: FrameState
    """At the middle of that time."""
    way: float
    """Pixels that what moves fastest goes meanwhile."""
    fills: Sequence[tuple[Matrix3, Matrix3]]
    """Homographies between frame pixels, a little later and a little earlier: blending a picture
    with itself along each pair fills the gaps; see :func:`filled`."""

    @property
    def margin(self) -> int:
        """Pixels round the frame that filling brings in."""
        return 8 * math.ceil((self.way / len(self.states) / 2 + 2) / 8) if self.fills else 0


def exposed(
    shot: Shot, frame: float, opens: float, closes: float, *, fine: bool, at_least: int = 2
) -> Exposed | None:
    """Return a frame's moments while its shutter is open; None if nothing is seen to move.

    ``fine``: with as many moments as are needed without filling what is between them, and at
    least so many.
    """
    if closes <= opens:
        return None
    probes = evaluate(shot, np.linspace(opens, closes, 5), exposing=frame)  # [2] at the middle
    found = _ways(probes)
    way = found.longest
    if way < _SEEN_STILL:
        return None
    soft = {index: least_blur(probes[2].cards[index], probes[2]) for index in found.ways}
    is_soft = soft.get(found.fastest, 0.0) > 2 * _GAP
    count = max(_moments_for(way, fine=fine, soft=is_soft), at_least)
    waves = [each for index, each in found.ways.items() if probes[2].cards[index].waving]
    if waves and max(waves) >= _SEEN_STILL:
        count = max(count, min(_moments_for(max(waves), fine=True, soft=False), _MOST_UNFILLED))
    long = (closes - opens) / count
    middle = (opens + closes) / 2
    states = evaluate(shot, opens + (np.arange(count) + 0.5) * long, exposing=frame)
    # In how many steps the gaps of each card are filled: what is out of focus shows them less.
    gaps = [
        each / count / max(_GAP, soft[index] / 4)
        for index, each in found.ways.items()
        if not probes[2].cards[index].waving
    ]
    doublings = 0 if fine or not gaps else max(0, math.ceil(math.log2(max(gaps)) - _NEARLY))
    aside = [long / 4 / 2**n for n in range(doublings)]
    times = [middle, *(middle + sign * each for each in aside for sign in (1, -1))]
    at_middle, *around = evaluate(shot, times, exposing=frame)
    fills = [
        (
            image_move(found.fastest, at_middle, later),
            image_move(found.fastest, at_middle, earlier),
        )
        for later, earlier in zip(around[::2], around[1::2], strict=True)
    ]
    return Exposed(states, at_middle, way, fills)


def _moments_for(way: float, *, fine: bool, soft: bool) -> int:
    """Return how many moments show a way of so many pixels as one.

    ``soft``: what goes that far is out of focus, and shows gaps less.
    """
    if fine:
        return min(max(2, math.ceil(way**0.85)), 160)
    return min(max(2, math.ceil((0.5 if soft else 1.1) * way**0.4)), 24)


def image_move(index: int, one: FrameState, other: FrameState) -> Matrix3:
    """Return the homography from where a card is seen at one time to where it is at another."""
    before = one.cards[index].image_from_card(one.camera)
    after = other.cards[index].image_from_card(other.camera)
    return np.asarray(after @ np.linalg.inv(before))


@dataclass(frozen=True, eq=False)
class _Ways:
    ways: dict[int, float]
    """Pixels that each card goes that may be seen to move, by its number."""
    fastest: int
    """The card that goes farthest, of those that are more than a speck."""

    @property
    def longest(self) -> float:
        return max(self.ways.values(), default=0.0)


def _ways(states: Sequence[FrameState]) -> _Ways:
    ways: dict[int, float] = {}
    covering: list[tuple[float, int]] = []
    middle = states[len(states) // 2]
    for index in middle.order:
        if not middle.cards[index].layer.motion_blur or middle.cards[index].layer.is_backdrop:
            continue
        cards = [state.cards[index] for state in states]
        cameras = [state.camera for state in states]
        way, covered = _way_of(cards, cameras)
        faded = abs(cards[0].opacity - cards[-1].opacity) * _FADED
        ways[index] = max(way, faded)
        covering += [(way, index)] * covered
    covering.sort()
    return _Ways(ways, covering[int(len(covering) * 0.95)][1] if covering else 0)


def _way_of(cards: Sequence[Card], cameras: Sequence[CameraState]) -> tuple[float, int]:
    """Return how far a card goes in the frame, in pixels, and how much of the frame it covers."""
    n = len(cards) // 2
    if cards[n].waving:
        return _way_of_cloth(cards, cameras)
    points = _seen_points(cards[n], cameras[n])
    if not len(points):
        return 0.0, 0
    places = []
    for card, camera in zip(cards, cameras, strict=True):
        there = points @ card.image_from_card(camera).T
        places.append(there[:, :2] / np.where(np.abs(there[:, 2:]) < 1e-9, 1e-9, there[:, 2:]))
    steps = np.linalg.norm(np.diff(places, axis=0), axis=2)
    return min(float(steps.sum(axis=0).max()), _FAR), len(points)


def _way_of_cloth(cards: Sequence[Card], cameras: Sequence[CameraState]) -> tuple[float, int]:
    """Return how far the points of a cloth go, by its own motion and the camera's; it covers none.

    No homography follows it: what lies between its moments is not filled in by its own way.
    """
    surface = ClothSurface()
    places = np.array(
        [
            surface.image_points(card, camera)[::_EVERY_POINT, ::_EVERY_POINT]
            for card, camera in zip(cards, cameras, strict=True)
        ]
    )
    width, height = cameras[0].frame_size
    seen = (places[..., 2] > 0).all(axis=0) & (
        (places[..., :2] > 0) & (places[..., :2] < (width, height))
    ).all(axis=-1).any(axis=0)
    if not seen.any():
        return 0.0, 0
    steps = np.linalg.norm(np.diff(places[..., :2], axis=0), axis=-1).sum(axis=0)
    return min(float(steps[seen].max()), _FAR), 0


def _seen_points(card: Card, camera: CameraState) -> FloatArray:
    """Return places (N, 3), homogeneous, on a card that are in sight, spread over the frame."""
    width, height = camera.frame_size
    x, y = np.meshgrid(np.linspace(0, width, 9), np.linspace(0, height, 7))
    frame = np.column_stack([x.ravel(), y.ravel(), np.ones(x.size)])
    homography = card.image_from_card(camera)
    if abs(np.linalg.det(homography)) < 1e-12:
        return np.zeros((0, 3))
    there = frame @ np.linalg.inv(homography).T
    ahead = there[:, 2] > 1e-9
    there = there[ahead] / there[ahead, 2:]
    half = card.width / 2, card.height / 2
    on = (np.abs(there[:, 0]) <= half[0]) & (np.abs(there[:, 1]) <= half[1])
    if on.any():
        return np.asarray(there[on])
    # Smaller than the mesh of places: its middle and corners, if they are before the camera.
    own = np.vstack([[0, 0, 1], card.outline])
    seen = own @ homography.T
    seen = np.column_stack([seen[:, :2] / np.maximum(seen[:, 2:], 1e-9), seen[:, 2]])
    inside = (seen[:, 2] > 1e-9) & (np.abs(seen[:, 0] - width / 2) < width)
    inside &= np.abs(seen[:, 1] - height / 2) < height
    return np.asarray(own[inside])


def filled(
    picture: np.ndarray,
    fills: Sequence[tuple[Matrix3, Matrix3]],
    margin: int,
    crew: Crew,
    shelf: Shelf,
) -> np.ndarray:
    """Return a picture (rows, columns, 4) uint16 blended with itself along each pair of moves.

    ``margin``: pixels all round it that lie outside the frame, in whose pixels the moves are told.
    Half of it a little later and half a little earlier, then half as far, and so on: so 2^n
    pictures lie between two moments, for 2 n warps of their mean.
    """
    height, width = picture.shape[:2]
    # OpenCV counts pixel centres from 0, and the picture begins outside the frame.
    frame_from_here = np.array([[1, 0, 0.5 - margin], [0, 1, 0.5 - margin], [0, 0, 1.0]])
    here_from_frame = np.linalg.inv(frame_from_here)
    scratch = [shelf.lend((2, BAND, width, 4)) for _ in range(crew.threads)]
    for pair in fills:
        back = [here_from_frame @ np.linalg.inv(move) @ frame_from_here for move in pair]
        found = shelf.lend(picture.shape)

        def blend(
            thread: int,
            y0: int,
            back: list[Matrix3] = back,
            given: np.ndarray = picture,
            found: np.ndarray = found,
        ) -> None:
            rows = min(BAND, height - y0)
            both = scratch[thread][:, :rows]
            for each, target in zip(back, both, strict=True):
                shift = np.array([[1, 0, 0], [0, 1, y0], [0, 0, 1.0]])
                cv2.warpPerspective(
                    given,
                    each @ shift,
                    (width, rows),
                    dst=target,
                    flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
                    borderMode=cv2.BORDER_REPLICATE,
                )
            cv2.addWeighted(both[0], 0.5, both[1], 0.5, 0, dst=found[y0 : y0 + rows])

        crew.share(blend, range(0, height, BAND))
        picture = found
    return picture
