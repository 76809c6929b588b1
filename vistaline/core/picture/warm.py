"""Compiles what cutting and filling use: ``python -m vistaline.core.picture.warm``.

Run at set-up, so that the first cut is not kept waiting by a compiler.
"""

from __future__ import annotations

import numpy as np

from vistaline.core.picture.cutset import parse_cutset
from vistaline.core.picture.separate import separate

__all__ = ["warm"]


def warm() -> None:
    """Cut one small picture every way that has a kernel."""
    picture = np.random.default_rng(1).integers(0, 90, (96, 128, 3), dtype=np.uint8)
    picture[30:66, 44:84] += 120
    box = [{"at": at} for at in ((44, 30), (84, 30), (84, 66), (44, 66))]
    strokes = [{"points": [(50, 40), (78, 60)], "width": 6}]
    steps = [{"kind": "outline", "points": box}, {"kind": "paint", "strokes": strokes}]
    separate(picture, parse_cutset({"cutouts": [{"name": "A", "steps": steps, "band": 4}]}))


if __name__ == "__main__":
    warm()
