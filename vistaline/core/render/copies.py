"""Blurred copies of a look, for the browser: it mixes them by how blurred each pixel is."""

from __future__ import annotations

import io

import cv2
import numpy as np
from PIL import Image

from vistaline.core.picture.colour import straight_codes
from vistaline.core.picture.preview import level_for, preview_size
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.discs import BLOCK, blur_rows, discs_of, number_of
from vistaline.core.stage.focused import LIVE_COPIES

__all__ = ["copy_webp"]


def copy_webp(pyramid: Pyramid, number: int) -> bytes:
    """Return one of the ``LIVE_COPIES`` of a look, as WebP."""
    copy = LIVE_COPIES[number]
    width, height = (max(1, round(side / copy.smaller)) for side in preview_size(pyramid))
    small = cv2.resize(level_for(pyramid, width), (width, height), interpolation=cv2.INTER_AREA)
    discs, disc = discs_of(), int(number_of(np.array(copy.radius / copy.smaller)))
    margin = int(discs.reach[disc])
    wide, high = width + 2 * copy.pad, height + 2 * copy.pad
    texels = np.zeros((high + 2 * margin, wide + 2 * margin, 4), np.uint16)
    begin = copy.pad + margin
    texels[begin : begin + height, begin : begin + width] = small
    blurred = np.empty((high, wide, 4), np.uint16)
    blocks = np.full((-(-high // BLOCK), -(-wide // BLOCK)), disc)
    blur_rows(
        *(texels.reshape(len(texels), -1), blocks, discs.first, discs.rows, discs.shares),
        *(margin, 0, high, blurred.reshape(high, -1)),
    )
    data = io.BytesIO()
    image = Image.fromarray(straight_codes(blurred))
    image.save(data, "WEBP", quality=92, method=1, exact=True)
    return data.getvalue()
