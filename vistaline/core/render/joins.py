"""How one picture of a film gives way to the next: on linear light, premultiplied, uint16."""

from __future__ import annotations

import math

import cv2
import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.easing import parse_ease
from vistaline.core.film.film import Join, JoinKind
from vistaline.core.picture.colour import hex_to_linear
from vistaline.core.shot.layouts import Side

__all__ = ["AXES", "Slide", "dipped", "joined", "slid", "slides_of"]

AXES = {Side.LEFT: (-1, 0), Side.RIGHT: (1, 0), Side.TOP: (0, -1), Side.BOTTOM: (0, 1)}
"""Where each side is: right and down."""
_SWISHED = 1.5
"""How many frame sides a swish goes on each side of the cut."""
Slide = tuple[float, float]
"""How far a swish has taken a picture aside in the middle of a frame, and how far it goes in
that frame: pixels towards the join's side."""


def joined(before: Rgba16, after: Rgba16, join: Join, share: float) -> Rgba16:
    """Return two pictures of one size as they overlap, ``share`` of the way from one to the other.

    ``before`` may be changed in place.
    """
    if join.kind is JoinKind.DISSOLVE:
        return np.asarray(cv2.addWeighted(before, 1 - share, after, share, 0.0, dst=before))
    eased = float(parse_ease(join.ease)(np.array([share]))[0])
    if join.kind is JoinKind.WIPE:
        return _wiped(before, after, join, eased)
    assert join.kind is JoinKind.PUSH
    return _pushed(before, after, join.side, eased)


def _pushed(before: Rgba16, after: Rgba16, side: Side, share: float) -> Rgba16:
    """Return two pictures side by side, seen through a frame that is so far on its way."""
    right, down = AXES[side]
    length = before.shape[1] if right else before.shape[0]
    back = right < 0 or down < 0
    first, last = (before, after) if back else (after, before)
    aside = length * (share if back else 1 - share)
    whole = min(int(aside), length - 1)
    part = aside - whole
    out = np.empty_like(before)
    seam = length - whole - 1

    def cut(picture: Rgba16, start: int, stop: int) -> Rgba16:
        return picture[:, start:stop] if right else picture[start:stop]

    def mean(picture: Rgba16, start: int, count: int, into: Rgba16) -> None:
        # Between two whole pixels it is a mean of both.
        one, next_ = cut(picture, start, start + count), cut(picture, start + 1, start + 1 + count)
        cv2.addWeighted(one, 1 - part, next_, part, 0, into)

    if seam:
        mean(first, whole, seam, cut(out, 0, seam))
    ends = cut(first, length - 1, length) * (1 - part) + cut(last, 0, 1) * part
    cut(out, seam, seam + 1)[:] = np.rint(ends)
    if whole:
        mean(last, 0, whole, cut(out, seam + 1, length))
    return out


def _wiped(before: Rgba16, after: Rgba16, join: Join, share: float) -> Rgba16:
    height, width = before.shape[:2]
    angle = math.radians(join.angle)
    right, down = math.sin(angle), -math.cos(angle)
    x = (np.arange(width, dtype=np.float32) + 0.5 - width / 2) * right
    y = (np.arange(height, dtype=np.float32) + 0.5 - height / 2) * down
    if abs(right) > 1 - 1e-9 or abs(down) > 1 - 1e-9:
        return _wiped_across(before, after, join.softness, share, right, down)
    reach = (abs(right) * width + abs(down) * height) / 2
    # The edge, with all of its softness, begins outside of the frame and ends there.
    soft = max(join.softness * 2 * reach, 1.0)
    edge = (2 * reach + soft) * share - reach - soft / 2
    ramp = np.float32(edge / soft + 0.5) - (x[None] + y[:, None]) / np.float32(soft)
    # A pixel is eight bytes: moved as one.
    np.copyto(before.view(np.uint64), after.view(np.uint64), where=(ramp >= 1)[..., None])
    # Most of the frame is one or the other.
    rows, columns = np.nonzero((ramp > 0) & (ramp < 1))
    along = ramp[rows, columns][:, None]
    behind = before[rows, columns].astype(np.float32)
    mixed = behind + (after[rows, columns] - behind) * (along * along * (3 - 2 * along))
    before[rows, columns] = np.rint(mixed).astype(np.uint16)
    return before


def _wiped_across(
    before: Rgba16, after: Rgba16, softness: float, share: float, right: float, down: float
) -> Rgba16:
    """Return a wipe along the rows, or the columns: most of the frame is only copied."""
    one, other = (before, after) if abs(right) > 0.5 else (
        before.transpose(1, 0, 2), after.transpose(1, 0, 2)
    )  # fmt: skip
    if right + down < 0:
        one, other = one[:, ::-1], other[:, ::-1]
    width = one.shape[1]
    soft = max(softness * width, 1.0)
    edge = (width + soft) * share - soft / 2
    along = np.clip((edge - np.arange(width) - 0.5) / soft + 0.5, 0, 1).astype(np.float32)
    done, begun = int((along >= 1).sum()), int((along > 0).sum())
    one[:, :done] = other[:, :done]
    ramp = along[done:begun, None]
    behind = one[:, done:begun].astype(np.float32)
    mixed = behind + (other[:, done:begun] - behind) * (ramp * ramp * (3 - 2 * ramp))
    one[:, done:begun] = np.rint(mixed).astype(np.uint16)
    return before


def dipped(picture: Rgba16, join: Join, share: float) -> Rgba16:
    """Return a picture on its way to a colour, at 0.5, or out of it."""
    colour = np.array([*hex_to_linear(join.colour), 1.0]) * 65535
    amount = 1 - abs(2 * share - 1)
    added = np.rint(colour * amount).reshape(4)
    # Both at once, and rounded once: as much of the picture, and as much of the colour.
    shade = np.diag([1 - amount] * 4)
    return np.asarray(cv2.transform(picture, np.hstack([shade, added[:, None]])))


def slides_of(half: int, side: float, own: float, other: float, *, goes: bool) -> list[Slide]:
    """Return how a swish takes one of its two pictures aside in each of its ``half`` frames.

    ``side``: the frame's size along its way; ``own``, ``other``: how fast the two pictures go that
    way by themselves at the cut. All in pixels, and pixels a frame. With what each goes by itself,
    both go equally fast at the cut.
    """
    # The square of time: from nothing to its fastest, a third of that on the whole.
    fastest = max(own, other, 0.0) + 3 * _SWISHED * side / half
    ramp = ((np.arange(half) + 0.5) / half) ** 2
    speeds = (fastest - own) * ramp
    way = np.concatenate([[0.0], np.cumsum(speeds)])[:-1] + speeds / 2
    if goes:
        return list(zip(way.tolist(), speeds.tolist(), strict=True))
    return [(-aside, speed) for aside, speed in zip(way[::-1], speeds[::-1], strict=True)]


def slid(picture: Rgba16, side: Side, slide: Slide, open_for: float) -> Rgba16:
    """Return a picture moved aside, blurred by what it goes while the shutter is open.

    ``open_for``: that time as a share of a frame. Beyond its edges it goes on as its own mirror
    image.
    """
    right, down = AXES[side]
    aside, speed = slide
    length = abs(speed) * open_for
    if length > 1:
        picture = _smeared(picture, length, down != 0)
    move = np.array([[1, 0, aside * right], [0, 1, aside * down]], np.float64)
    height, width = picture.shape[:2]
    # A mirror and its mirror are where the picture was.
    move[0, 2] = math.remainder(move[0, 2], 2 * width)
    move[1, 2] = math.remainder(move[1, 2], 2 * height)
    return np.asarray(cv2.warpAffine(picture, move, (width, height), borderMode=cv2.BORDER_REFLECT))


def _smeared(picture: Rgba16, length: float, upright: bool) -> Rgba16:
    """Return a picture as the mean over a way of ``length`` pixels, between two whole lengths."""
    size = picture.shape[0] if upright else picture.shape[1]
    least = max(1, 2 * int((min(length, 2.0 * size) - 1) / 2) + 1)
    means = []
    for pixels in (least, least + 2):
        kernel = (1, pixels) if upright else (pixels, 1)
        means.append(cv2.blur(picture, kernel, borderType=cv2.BORDER_REFLECT))
    more = min(1.0, max(0.0, (length - least) / 2))
    return np.asarray(cv2.addWeighted(means[0], 1 - more, means[1], more, 0.0))
