"""Compiles the kernels into numba's cache: ``python -m vistaline.core.render.warm [part ...]``.

Run at set-up, so that the first frame after a start is not kept waiting by a compiler.
"""

from __future__ import annotations

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from vistaline.core.document import complete, parse_shot
from vistaline.core.drawn import Looks
from vistaline.core.foresight.ahead import look_ahead
from vistaline.core.render.frame import Renderer
from vistaline.core.render.pyramid import Pyramid, PyramidStore, build_levels
from vistaline.core.shot import Shot

__all__ = ["warm"]


def warm(*parts: str) -> None:
    """Render one small frame in every form ("frames"), or look ahead at it ("ahead"), or both.

    The two take about as long each, so that set-up compiles them side by side.
    """
    parts = parts or ("frames", "ahead")
    picture = np.full((16, 16, 4), 65535, np.uint16)
    pyramid = Pyramid(
        width=16,
        height=16,
        opaque=True,
        content=(0, 0, 16, 16),
        levels=tuple(build_levels(picture)),
    )
    shot: Shot = parse_shot(
        {
            "vistaline": 1,
            "frame": {"width": 32, "height": 32, "duration": 1},
            "pictures": {"a": {"file": "a"}},
            "layers": [
                {"name": "a", "picture": "a", "scale": 0.5, "pan": 30, "blend": "multiply"},
                {
                    "name": "b",
                    "picture": "a",
                    "scale": 0.5,
                    "pan": -30,
                    "distance": 1.5,
                    "frame_style": "s",
                    "matte": {"of": "a", "by": "lightness"},
                },
                {
                    "name": "c",
                    "picture": "a",
                    "projection": [0, 0, 16, 16],
                    "body": "ball",
                    "width": 1,
                    "height": 1,
                    "depth": 1,
                },
            ],
            "frame_styles": {"s": {"border": 0, "shadow": {}}},
        }
    )
    with TemporaryDirectory() as folder:
        shot = complete(shot, {"a": (16, 16)})
        looks = Looks(shot, PyramidStore(Path(folder)), lambda _: pyramid)
        if "ahead" in parts:
            look_ahead(shot, looks)
        if "frames" not in parts:
            return
        renderer = Renderer(shot, looks)
        renderer.rgb(0)
        renderer.yuv(0)
        renderer.linear(0)


if __name__ == "__main__":
    warm(*sys.argv[1:])
