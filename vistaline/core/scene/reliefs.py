"""Reliefs, told to a browser: what their shader needs, and their triangles."""

from __future__ import annotations

from typing import Any

import numpy as np

from vistaline.core.arrays import Rgba16
from vistaline.core.relief.sheets import SHEETS, meshes_of
from vistaline.core.stage.cards import Card
from vistaline.core.stage.textures import RaisedLook

__all__ = ["describe_relief", "maps_name", "pack_relief"]

_EXACT = 1.5
"""Pixels by which triangles on the screen may miss the map; a render's are nearer to it."""


def describe_relief(card: Card) -> dict[str, Any] | None:
    """Return how a card is raised, as its shader is told it; None if it is flat."""
    raised = card.raised
    if raised is None:
        return None
    return {
        "sheets": [str(RaisedLook(part, card.layer.id)) for part in range(SHEETS)],
        "shape": [round(value, 9) for value in raised.shape],
        "apex": [round(value, 9) for value in raised.apex],
        "tall": round(card.height / card.width, 9),
    }


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
