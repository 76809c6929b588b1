"""Compiles the kernels into numba's cache: ``python -m vistaline.core.warm [part ...]``.

Run at set-up, so that the first frame or cut after a start is not kept waiting by a compiler.
It stands above all rooms of core, as it uses their kernels; nothing imports it.
"""

from __future__ import annotations

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.foresight.ahead import look_ahead
from vistaline.core.looks.blending import Blend
from vistaline.core.picture.carried import carry
from vistaline.core.picture.pyramid import Pyramid, PyramidStore, build_levels
from vistaline.core.picture.transfer import Tags, linear_from_clip
from vistaline.core.render.frame import Renderer
from vistaline.core.separate.cutset import parse_cutset
from vistaline.core.separate.separation import separate
from vistaline.core.shot.document import complete, parse_shot
from vistaline.core.shot.dressing import DRESSINGS
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.drawn import Looks

__all__: list[str] = []

PARTS = ("frames", "ahead", "cutting")
"""Compiling the first two takes about as long each, so that set-up does it side by side."""


def warm(*parts: str) -> None:
    """Use every kernel once of some ``PARTS``; of all, if none are named."""
    parts = parts or PARTS
    if "cutting" in parts:
        _cut()
        linear_from_clip(np.zeros((12, 8), np.uint8), Tags())
    if "frames" in parts or "ahead" in parts:
        _render(*parts)


def _render(*parts: str) -> None:
    """Render one small frame in every form, or look ahead at it, or both."""
    picture = np.full((16, 16, 4), 65535, np.uint16)
    pyramid = Pyramid(
        width=16,
        height=16,
        opaque=True,
        content=(0, 0, 16, 16),
        levels=tuple(build_levels(picture)),
    )
    shown = {"kind": "picture", "picture": "a"}
    shot: Shot = parse_shot(
        {
            "vistaline": 2,
            "frame": {"width": 32, "height": 32, "duration": 1},
            "background": "#102030",
            "pictures": {"a": {"file": "a"}},
            "layers": [
                {
                    "name": "a",
                    "shows": shown,
                    "scale": 0.5,
                    "pan": 30,
                    "blend": "multiply",
                    "cloth": {"grid": 4},
                },
                {
                    "name": "b",
                    "shows": shown,
                    "scale": 0.5,
                    "pan": -30,
                    "distance": 1.5,
                    "frame_style": "s",
                    "matte": {"of": "a", "by": "lightness"},
                },
                {
                    "name": "c",
                    "shows": shown,
                    "stands": {"kind": "body", "body": "ball", "projection": [0, 0, 16, 16]}
                    | dict.fromkeys(("width", "height", "depth"), 1),
                },
                {
                    "name": "d",
                    "shows": shown,
                    "stands": {"kind": "relief", "depth": "a", "texture": False}
                    | {"at": 2, "near": 1, "far": 4},
                },
            ],
            "frame_styles": {"s": {"border": 0, "shadow": {}}},
            "lamps": [{"id": "l", "name": "l", "kind": "spot", "shadows": True}],
            "dressing": [
                {"kind": kind, "id": kind, "name": kind} | more for kind, more in _DRESSED.items()
            ],
        }
    )
    with TemporaryDirectory() as folder:
        shot = complete(shot, {"a": (16, 16)})
        looks = Looks(shot, PyramidStore(Path(folder)), lambda _: pyramid)
        if "ahead" in parts:
            look_ahead(shot, looks)
        if "frames" not in parts:
            return
        # So much out of focus that copies as fine as the frame and coarser ones are both used.
        focusing = {"everything_sharp": False, "focus": 0.3, "f_number": 0.5, "strength": 3}
        lens = {"focusing": focusing, "character": {"vignette": {"amount": 0.5}, "distortion": 0.1}}
        for focus in (0.3, 1.2):
            focused = shot.with_camera(**lens | {"focusing": focusing | {"focus": focus}})
            Renderer(focused, looks).rgb(0)
        renderer = Renderer(shot, looks)
        renderer.rgb(0)
        renderer.yuv(0)
        renderer.linear(0)
        # Without a blend the air is laid with the cards.
        plain = [each.evolve(blend=Blend.NORMAL) for each in shot.layers]
        Renderer(shot.evolve(layers=plain), looks).rgb(0)


_DRESSED: dict[str, dict[str, object]] = {kind: {} for kind in DRESSINGS} | {
    "fog": {"uneven": 0.5},
    "rays": {"threshold": 0},
    "particles": {"lit": True},
    "flare": {"position": (0, 0, -0.5)},
    # Effects on layers and on the frame, with every sort of mask.
    "exposure": {"stops": 1, "over": {"kind": "layer", "of": "a"}, "mask": {}},
    "contrast": {"contrast": 1.1, "mask": {"shape": "layer", "of": "a"}},
    "colourfulness": {"saturation": 0.5, "mask": {"shape": "depth"}},
    "blur": {"over": {"kind": "layer", "of": "b"}, "amount": 0.5},
    "wipe": {"over": {"kind": "layer", "of": "b"}},
    "table": {"table": "cube 2 eNpjYACB//8Z4PT//wgehA9hQQAAopsX6Q==", "exact": False},
}


def _cut() -> None:
    """Cut one small picture every way that has a kernel."""
    picture = np.random.default_rng(1).integers(0, 90, (96, 128, 3), dtype=np.uint8)
    picture[30:66, 44:84] += 120
    box = [{"at": at} for at in ((44, 30), (84, 30), (84, 66), (44, 66))]
    strokes = [{"points": [(50, 40), (78, 60)], "width": 6}]
    steps = [
        {"kind": "outline", "points": box},
        {"kind": "paint", "strokes": strokes},
        {"kind": "guess", "this": strokes},
    ]
    separate(picture, parse_cutset({"cutouts": [{"name": "A", "steps": steps, "band": 4}]}))
    # As a large picture's hole is filled.
    hole, places = np.zeros((8, 8), bool), np.zeros((4, 4, 2), np.int32)
    hole[3:5, 3:5] = True
    none: FloatArray = np.zeros((4, 4, 3), np.float32)
    carry(np.ascontiguousarray(picture[:8, :8]), hole, places, np.ones((4, 4), bool), none)


if __name__ == "__main__":
    warm(*sys.argv[1:])
