"""Reliefs, told to a browser: what their shader needs, and their triangles."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.relief.sheets import SHEETS, meshes_of
from vistaline.core.shot.areas import MOST_AREAS
from vistaline.core.stage.cards import Card
from vistaline.core.stage.raising import Raised
from vistaline.core.stage.textures import RaisedLook

__all__ = ["describe_relief", "maps_name", "pack_relief", "told_shape"]

_EXACT = 1.5
"""Pixels by which triangles on the screen may miss the map; a render's are nearer to it."""


def describe_relief(card: Card) -> dict[str, Any] | None:
    """Return how a card is raised, as its shader is told it; None if it is flat."""
    raised = card.raised
    if raised is None:
        return None
    return {
        "sheets": [str(RaisedLook(part, card.layer.id)) for part in range(SHEETS)],
        "shape": told_shape(raised),
        "areas": _told_areas(raised),
        "apex": [round(value, 9) for value in raised.apex],
        "tall": round(card.height / card.width, 9),
    }


def told_shape(raised: Raised) -> list[float]:
    """Return what of a relief may have keys: a and b of q = a + b n, and the lifts of its areas,
    0 where it has fewer than :data:`MOST_AREAS`."""
    lifts = [*raised.lifts, *[0.0] * MOST_AREAS][:MOST_AREAS]
    return [round(value, 9) for value in (*raised.shape, *lifts)]


def _told_areas(raised: Raised) -> dict[str, Any] | None:
    """Return where a relief's areas are: 8-bit shares, one of each a place, row by row."""
    if not len(raised.areas):
        return None
    count, rows, columns = raised.areas.shape
    shares = np.zeros((rows, columns, MOST_AREAS), np.uint8)
    shares[..., :count] = np.rint(np.moveaxis(raised.areas, 0, -1) * 255)
    told = base64.b64encode(shares.tobytes()).decode()
    return {"rows": rows, "columns": columns, "shares": told}


def maps_name(layer: str) -> str:
    """Return the name of the look that holds a relief's maps."""
    return str(RaisedLook(SHEETS, layer))


def pack_relief(maps: Rgba16) -> bytes:
    """Return the triangles of a relief, from :attr:`Sheets.maps`, the hindmost sheet first.

    Little-endian: the numbers N and M, uint32; N points of four float32 each: u, v, nearness and
    which sheet, 0 the front; M faces of three uint32.
    """
    points, faces, count = [], [], 0
    meshes = meshes_of(maps, _EXACT)
    for n in reversed(range(SHEETS)):
        mesh = meshes[n]
        of = np.full((len(mesh.points), 1), n, np.float32)
        points.append(np.hstack([mesh.points, of]))
        faces.append(mesh.faces.astype(np.uint32) + np.uint32(count))
        count += len(mesh.points)
    corners = np.concatenate(faces)
    return b"".join(
        np.ascontiguousarray(part).tobytes()
        for part in (
            np.array([count, len(corners)], "<u4"),
            np.concatenate(points).astype("<f4"),
            corners.astype("<u4"),
        )
    )
