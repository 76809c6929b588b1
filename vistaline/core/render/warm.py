"""Compiles the compositing kernels into numba's cache: ``python -m vistaline.core.render.warm``.

Run at set-up, so that the first frame after a start is not kept waiting by a compiler.
"""

from __future__ import annotations

import numpy as np

from vistaline.core.render.frame import Renderer
from vistaline.core.render.pyramid import Pyramid, build_levels
from vistaline.core.shot import Shot, complete, parse_shot

__all__ = ["warm"]


def warm() -> None:
    """Render one small frame in every form."""
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
                {"name": "b", "picture": "a", "scale": 0.5, "pan": -30},
            ],
        }
    )
    renderer = Renderer(complete(shot, {"a": (16, 16)}), {"a": pyramid})
    renderer.rgb(0)
    renderer.yuv(0)
    renderer.linear(0)


if __name__ == "__main__":
    warm()
