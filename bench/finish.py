"""Effects over five full cards, over the same without."""

from __future__ import annotations

import base64
import zlib

import numpy as np

from bench import scene
from bench.figures import Figure, interleaved
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.effects import Effect, Mask, On, Over
from vistaline.core.shot.grading import (
    Colourfulness,
    Contrast,
    Curves,
    Exposure,
    HueRange,
    LevelsOf,
    Table,
    ThreeWays,
    Tones,
    WhiteBalance,
)
from vistaline.core.shot.overlays import Grain, Halftone, Vignetting
from vistaline.core.shot.softness import Blur

__all__ = ["measure"]

ROUNDS = 11


def _table(side: int) -> str:
    steps = np.linspace(0, 1, side) ** 1.1
    cube = np.stack(np.meshgrid(steps, steps, steps, indexing="ij")[::-1], axis=-1)
    codes = np.rint(cube * 65535).astype("<u2").tobytes()
    return f"cube {side} {base64.b64encode(zlib.compress(codes)).decode()}"


def _named(kind: type[Effect], **values: object) -> Effect:
    name = kind.__name__.lower()
    return kind.model_validate({"id": name, "name": name} | values)


_COLOURS = (
    _named(Exposure, stops=0.3),
    _named(WhiteBalance, kelvin=5200),
    _named(Contrast, contrast=1.1),
    _named(LevelsOf, middle=1.1),
    _named(Curves, red=((0.0, 0.05), (1.0, 0.95)), lightness=((0.0, 0.0), (0.4, 0.45), (1.0, 1.0))),
    _named(Colourfulness, saturation=1.1, vividness=0.2, turned=3),
    _named(ThreeWays, lift=0.03),
    _named(HueRange, saturation=1.2),
    _named(Tones, amount=0.4),
)
_POINTWISE = (*_COLOURS, _named(Vignetting))
_RUNS: dict[str, tuple[tuple[Effect, ...], float]] = {
    "all pointwise effects": (_POINTWISE, 0.45),
    "a table of 33, trilinear": ((_named(Table, table=_table(33), exact=False),), 0.55),
    "a table of 33, tetrahedral": ((_named(Table, table=_table(33)),), 0.95),
    "halftone": ((_named(Halftone),), 0.15),
    "a masked blur of 25 px": ((_named(Blur, size=25, mask=Mask()),), 0.5),
    "grain": ((_named(Grain),), 0.15),
}


def measure() -> list[Figure]:
    """Return what each costs more than a plain frame, in plain frames."""
    looks = scene.pyramids()
    shot = scene.shot()
    runs = {"plain": _runs(Renderer(shot, looks))}
    for name, (effects, _) in _RUNS.items():
        runs[name] = _runs(Renderer(shot.evolve(dressing=effects), looks))
    on_each = tuple(
        each.evolve(id=f"{each.id}-{n}", over=Over(kind=On.LAYER, of=layer.id))
        for n, layer in enumerate(shot.layers)
        for each in _COLOURS
    )
    runs["on each"] = _runs(Renderer(shot.evolve(dressing=on_each), looks))
    took = interleaved(runs, ROUNDS)
    return [
        *(
            Figure(
                f"{name} over the frame, plain frames more",
                took[name] / took["plain"] - 1,
                "x",
                most,
            )
            for name, (_, most) in _RUNS.items()
        ),
        Figure(
            "colours of five full cards, plain frames in all",
            took["on each"] / took["plain"],
            "x",
            2.5,
        ),
    ]


def _runs(renderer: Renderer):  # type: ignore[no-untyped-def]
    return lambda _: renderer.yuv(0)
