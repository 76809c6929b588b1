"""How fast the picture goes through the frame, for what is to go on at its speed."""

from __future__ import annotations

import numpy as np

from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.surfaces import unit_at

__all__ = ["pace_in_middle"]


def pace_in_middle(shot: Shot, frame: float, *, step: float = 0.5) -> tuple[float, float]:
    """Return how fast what is seen in the middle of the frame goes: right and down, pixels a frame.

    It is the nearest card there, whatever is transparent; (0, 0) if nothing is there, or it is
    seen no more a moment later.
    """
    last = shot.frame.duration - 1
    a, b = max(0.0, frame - step), min(float(last), frame + step)
    if b <= a:
        return 0.0, 0.0
    now, then = evaluate(shot, [a, b])
    x, y = shot.frame.width / 2, shot.frame.height / 2
    for index in reversed(now.order):
        card = now.cards[index]
        if card.layer.is_backdrop or card.layer.on_lens or card.projector is not None:
            continue
        unit = unit_at(card, now.camera, x, y)
        if unit is None or not (0 <= unit[0] <= 1 and 0 <= unit[1] <= 1):
            continue
        seen = then.cards[index].image_from_unit(then.camera) @ np.array([*unit, 1.0])
        if seen[2] <= 0:
            return 0.0, 0.0
        right, down = (seen[:2] / seen[2] - (x, y)) / (b - a)
        return float(right), float(down)
    return 0.0, 0.0
