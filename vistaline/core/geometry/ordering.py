"""Which card is in front of which.

The inverse depth of a flat card is linear across the frame: 1/z = a x + b y + c. So of two cards
that share a piece of the frame, the one with the larger inverse depth at every corner of that
piece is in front of the other all over it. That is exact unless the two cut through each other.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from vistaline.core.arrays import FloatArray, Matrix3

__all__ = ["NEAR", "draw_order", "outlines_of", "parallel_order"]

NEAR = 0.01
"""Metres: nothing nearer to the lens is seen."""


def draw_order(
    camera_from_cards: FloatArray, sizes: FloatArray, image_from_camera: Matrix3
) -> list[int]:
    """Return indices of the cards that are seen, far to near.

    ``camera_from_cards`` (N, 4, 4); ``sizes`` (N, 2): width and height in metres of cards that
    are centred on their own origins. Of two in one plane, the later in the list is nearer. Where
    cards cut through each other or overlap in a ring, the order falls back on the depth at their
    middle.
    """
    outlines, counts, nearness = outlines_of(camera_from_cards, sizes, image_from_camera)
    seen = np.flatnonzero((counts >= 3) & np.isfinite(nearness).all(axis=1))
    middles = outlines.sum(axis=1) / np.maximum(counts, 1)[:, None]
    depth = (nearness[:, :2] * middles).sum(axis=1) + nearness[:, 2]
    by_middle = seen[np.argsort(depth[seen], kind="stable")]
    found = _sorted(outlines[by_middle], counts[by_middle], nearness[by_middle], by_middle)
    return by_middle[found].tolist()


@njit(cache=True, nogil=True)
def parallel_order(poses, sizes, eye, ahead):  # type: ignore[no-untyped-def]
    """Return indices (M,) of cards that all face one way, far to near, by their planes' distance.

    ``poses`` (N, 4, 4) in the world, ``sizes`` (N, 2); ``eye`` (3,) and the unit vector ``ahead``
    (3,) are the camera's. Those wholly behind it, and those in the plane of the eye, are left out.
    """
    count = len(poses)
    gaps, order = np.empty(count), np.empty(count, np.int64)
    seen = 0
    for i in range(count):
        depth, gap, reach = 0.0, 0.0, 0.0
        for side in range(2):
            along = 0.0
            for k in range(3):
                along += poses[i, k, side] * ahead[k]
            reach += abs(along) * sizes[i, side] / 2
        for k in range(3):
            aside = poses[i, k, 3] - eye[k]
            depth += aside * ahead[k]
            gap += aside * poses[0, k, 2]
        # Rounded so that two cards at one distance tie, whatever the last bits say.
        gap = np.round(abs(gap) * 1e9) / 1e9
        if depth + reach <= NEAR or gap <= 0:
            continue
        place = seen
        while place > 0 and gaps[place - 1] < gap:
            gaps[place], order[place] = gaps[place - 1], order[place - 1]
            place -= 1
        gaps[place], order[place] = gap, i
        seen += 1
    return order[:seen]


@njit(cache=True, nogil=True)
def outlines_of(camera_from_cards, sizes, image_from_camera):  # type: ignore[no-untyped-def]
    """Return what a camera sees of cards: outlines (N, 6, 2), how many points, and 1/z (N, 3).

    Outlines are in frame pixels, cut where they come nearer than ``NEAR``; unused points are 0.
    1/z = a x + b y + c: a point seen at p lies at z K^-1 p, on the plane n . (z K^-1 p) = d.
    """
    count = len(camera_from_cards)
    outlines, counts = np.zeros((count, 6, 2)), np.zeros(count, np.int64)
    nearness = np.empty((count, 3))
    camera_from_image = np.linalg.inv(image_from_camera)
    corners = np.empty((4, 3))
    for i in range(count):
        pose = camera_from_cards[i]
        across = np.cross(pose[:3, 0], pose[:3, 1])
        offset = across[0] * pose[0, 3] + across[1] * pose[1, 3] + across[2] * pose[2, 3]
        for k in range(3):
            value = (
                across[0] * camera_from_image[0, k]
                + across[1] * camera_from_image[1, k]
                + across[2] * camera_from_image[2, k]
            )
            nearness[i, k] = value / offset if offset != 0 else np.inf
        for n in range(4):
            x = (0.5 if n in (1, 2) else -0.5) * sizes[i, 0]
            y = (0.5 if n < 2 else -0.5) * sizes[i, 1]
            for k in range(3):
                corners[n, k] = pose[k, 0] * x + pose[k, 1] * y + pose[k, 3]
        for n in range(4):
            # One plane of Sutherland and Hodgman, CACM 1974.
            here, before = corners[n], corners[n - 1]
            depth, depth_before = -here[2] - NEAR, -before[2] - NEAR
            if (depth >= 0) != (depth_before >= 0):
                t = depth / (depth - depth_before)
                _project(here + (before - here) * t, image_from_camera, outlines[i, counts[i]])
                counts[i] += 1
            if depth >= 0:
                _project(here, image_from_camera, outlines[i, counts[i]])
                counts[i] += 1
    return outlines, counts, nearness


@njit(cache=True, nogil=True)
def _project(point, image_from_camera, out):  # type: ignore[no-untyped-def]
    depth = -point[2]
    for k in range(2):
        row = image_from_camera[k]
        out[k] = (row[0] * point[0] + row[1] * point[1] + row[2] * point[2]) / depth


@njit(cache=True, nogil=True)
def _sorted(outlines, counts, nearness, place):  # type: ignore[no-untyped-def]
    """Return positions far to near; as they come, if they cannot be put in order."""
    count = len(counts)
    behind = np.zeros((count, count), np.bool_)
    for i in range(count):
        for j in range(i + 1, count):
            lead = _lead(
                outlines[i, : counts[i]],
                outlines[j, : counts[j]],
                nearness[i] - nearness[j],
                nearness[i],
            )
            if lead == 0:
                continue
            if lead == 2:  # one plane: the later in the list is nearer
                lead = 1 if place[i] > place[j] else -1
            if lead > 0:
                behind[j, i] = True
            else:
                behind[i, j] = True
    order, done, ready = (
        np.empty(count, np.int64),
        np.zeros(count, np.bool_),
        np.zeros(count, np.bool_),
    )
    found = 0
    while found < count:
        some = False
        for i in range(count):
            ready[i] = not done[i]
            for j in range(count):
                if ready[i] and not done[j] and behind[j, i]:
                    ready[i] = False
            some |= ready[i]
        if not some:
            return np.arange(count)
        for i in range(count):
            if ready[i]:
                order[found] = i
                done[i] = True
                found += 1
    return order


@njit(cache=True, nogil=True)
def _lead(one, other, difference, plane):  # type: ignore[no-untyped-def]
    """Return 1 if the first card is in front where two overlap, -1 if behind, 2 if in one plane.

    0 if they never meet. The piece they share is one outline cut by the other's edges
    (Sutherland and Hodgman, CACM 1974).
    """
    for axis in range(2):
        if one[:, axis].max() <= other[:, axis].min() or other[:, axis].max() <= one[:, axis].min():
            return 0
    room = len(one) + len(other) + 2
    piece, cut = np.empty((room, 2)), np.empty((room, 2))
    size = len(one)
    piece[:size] = one
    turn = np.sign(_area(other))
    for k in range(len(other)):
        ax, ay = other[k]
        bx, by = other[(k + 1) % len(other)]
        kept = 0
        for n in range(size):
            px, py = piece[n]
            qx, qy = piece[(n + 1) % size]
            inside = turn * ((bx - ax) * (py - ay) - (by - ay) * (px - ax))
            next_inside = turn * ((bx - ax) * (qy - ay) - (by - ay) * (qx - ax))
            if inside >= 0 and kept < room:
                cut[kept] = px, py
                kept += 1
            if (inside < 0) != (next_inside < 0) and kept < room:
                t = inside / (inside - next_inside)
                cut[kept] = px + t * (qx - px), py + t * (qy - py)
                kept += 1
        size = kept
        piece[:size] = cut[:size]
        if size < 3:
            return 0
    least = min(abs(_area(one)), abs(_area(other)))
    if abs(_area(piece[:size])) <= 1e-9 * least:
        return 0
    total, largest, scale = 0.0, 0.0, 0.0
    for n in range(size):
        x, y = piece[n]
        lead = difference[0] * x + difference[1] * y + difference[2]
        total += lead
        largest = max(largest, abs(lead))
        scale = max(scale, abs(plane[0] * x + plane[1] * y + plane[2]))
    if largest < 1e-6 * scale:
        return 2
    return 1 if total > 0 else -1


@njit(cache=True, nogil=True)
def _area(outline):  # type: ignore[no-untyped-def]
    total = 0.0
    for n in range(len(outline)):
        m = (n + 1) % len(outline)
        total += outline[n, 0] * outline[m, 1] - outline[m, 0] * outline[n, 1]
    return total / 2
