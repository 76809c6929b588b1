"""Rows of keys as a browser draws them: where the keys are, and the value over time."""

from __future__ import annotations

from typing import Any

import numpy as np

from vistaline.core.keyable import Kind
from vistaline.core.shot.rows import Row, values_at
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.keyed import called

__all__ = ["describe_rows", "shown_value"]

_SAMPLES = 240


def describe_rows(shot: Shot) -> list[dict[str, Any]]:
    """Return all rows: things in the order of the shot, their values as they got keys.

    ``height`` of a key is 0 to 1 of what the row reaches; ``line`` has the value over the whole
    shot at even steps, as heights or colours; a text has none.
    """
    order = {f"layer:{layer.id}": n for n, layer in enumerate(shot.layers)}
    rows = sorted(shot.rows, key=lambda row: order.get(row.of, len(order)))
    return [_row(shot, row) for row in rows]


def _row(shot: Shot, row: Row) -> dict[str, Any]:
    about = row.about
    count = min(_SAMPLES, shot.frame.duration)
    frames = np.linspace(0, shot.frame.duration - 1, count)
    line: list[Any] = []
    heights = [0.5] * len(row.keys)
    if about.kind is Kind.COLOUR:
        line = values_at(row, frames)
    elif about.kind is not Kind.TEXT:
        values = values_at(row, frames)
        at_keys = np.array([float(key.value) for key in row.keys])
        low, high = (f(np.concatenate([values, at_keys])) for f in (np.min, np.max))
        if high - low > 1e-9 * max(abs(high), abs(low), 1e-9):
            line = np.round((values - low) / (high - low), 4).tolist()
            heights = np.round((at_keys - low) / (high - low), 4).tolist()
        else:
            line = [0.5] * count
    return {
        "of": row.of,
        "value": row.value,
        "name": called(shot, row.of),
        "label": about.label,
        "kind": about.kind.value,
        "line": line,
        "keys": [
            {
                "frame": key.frame,
                "value": key.value,
                "ease": key.ease,
                "height": height,
                "says": shown_value(row, key.value),
            }
            for key, height in zip(row.keys, heights, strict=True)
        ],
    }


def shown_value(row: Row, value: float | str) -> str:
    """Return a value as a person reads it, with its unit."""
    if isinstance(value, str):
        return value.splitlines()[0][:40]
    return f"{value * row.about.factor:.4g} {row.about.unit}".rstrip()
