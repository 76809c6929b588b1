"""The outline of what is seen of a layer, for a line that goes round it."""

from __future__ import annotations

import math
from collections.abc import Mapping

import cv2
import numpy as np

from vistaline.core.errors import EditError
from vistaline.core.picture.pyramid import BORDER, Pyramid
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.tracks import track_of

__all__ = ["shape_of"]

_SIDE = 384
"""About how many pixels of a look its outline is found in."""
_MARGIN = 0.03
"""Of its longer side: how far from it the line goes."""
_MOST = 240
"""Points of an outline."""


def shape_of(shot: Shot, looks: Mapping[str, Pyramid], layer: str) -> list[tuple[float, float]]:
    """Return the outline of the largest part of a layer: shares of it from its middle, y up.

    A little outside of what is half opaque.

    Raises
    ------
    EditError
        Nothing of it is seen.
    """
    found = shot.layer(layer)
    texture = track_of(shot, found, [0.0]).textures[0]
    pyramid = looks[texture]
    longer = max(pyramid.width, pyramid.height)
    n = min(max(0, int(math.log2(max(1.0, longer / _SIDE)))), len(pyramid.levels) - 1)
    alpha = pyramid.levels[n][BORDER:-BORDER, BORDER:-BORDER, 3]
    alpha = alpha[: max(1, pyramid.height >> n), : max(1, pyramid.width >> n)]
    height, width = alpha.shape
    margin = max(1, round(_MARGIN * max(height, width)))
    room = 2 * margin
    mask = cv2.copyMakeBorder(
        (alpha > 32767).astype(np.uint8), room, room, room, room, cv2.BORDER_CONSTANT
    )
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * margin + 1, 2 * margin + 1))
    contours, _ = cv2.findContours(cv2.dilate(mask, disc), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not contours:
        raise EditError(f"Nothing of {found.name} is opaque; no line can go round it.")
    line = max(contours, key=cv2.contourArea)[:, 0].astype(np.float64)
    # Smooth, and with few enough points.
    kernel = np.ones(7) / 7
    padded = np.vstack([line[-3:], line, line[:3]])
    smooth = np.column_stack([np.convolve(padded[:, k], kernel, "valid") for k in (0, 1)])
    smooth = smooth[:: max(1, -(-len(smooth) // _MOST))]
    x = (smooth[:, 0] - room + 0.5) / width - 0.5
    y = 0.5 - (smooth[:, 1] - room + 0.5) / height
    return list(zip(x.round(4).tolist(), y.round(4).tolist(), strict=True))
