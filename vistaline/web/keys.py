"""What panels show of keys: pins beside values, and the keys that are chosen."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import numpy as np
from flask import request

from vistaline.core.easing import CubicBezier, Ease, parse_ease
from vistaline.core.keyable import keyables_of
from vistaline.core.scene.rows import shown_value
from vistaline.core.shot.rows import Key, Row
from vistaline.core.shot.shot import Shot
from vistaline.core.speed import peak_of, speed_of
from vistaline.core.stage.keyed import called, row_of, things_of

__all__ = ["ease_facts", "keys_facts", "pins_of", "playhead_asked"]

_POINTS = 64


def playhead_asked(shot: Shot) -> int:
    """Return the frame a panel is asked for."""
    return min(max(request.args.get("playhead", 0, type=int), 0), shot.frame.duration - 1)


def pins_of(shot: Shot, of: str, frame: int) -> Callable[[str], dict[str, Any]]:
    """Return what tells the pin beside a value of a thing: no keys, some, or one at ``frame``."""

    def pin(value: str) -> dict[str, Any]:
        row = row_of(shot, of, value)
        state = "none" if row is None else "here" if row.key_at(frame) else "some"
        return {"of": of, "value": value, "state": state, "frame": frame}

    return pin


def ease_facts(curve: Ease) -> dict[str, Any]:
    """Return what the ease's editor draws."""
    time, height = peak_of(curve)
    return {
        "curve": curve if isinstance(curve, CubicBezier) else None,
        "progress": np.round(curve(np.linspace(0, 1, _POINTS + 1)), 4).tolist(),
        "speed": np.round(speed_of(curve, _POINTS), 4).tolist(),
        "peak": (time, height),
    }


def keys_facts(shot: Shot, frame: int) -> dict[str, Any]:
    """Return what the panel of keys shows: those that are chosen, or what could have some."""
    picked = _picked(shot)
    facts: dict[str, Any] = {"things": _things(shot), "picked": [], "frame": frame}
    if not picked:
        return facts
    rows = {(row.of, row.value): row for row, _ in picked}
    kinds = {(row.about.kind, row.about.unit, row.about.factor) for row in rows.values()}
    shown = {shown_value(row, key.value) for row, key in picked}
    # The first key of a row is arrived at by no travel.
    travels = [key for row, key in picked if key is not row.keys[0]]
    eases = list(dict.fromkeys(key.ease for key in travels))
    curves = [parse_ease(ease) for ease in eases]
    first_row, first = picked[0]
    about = first_row.about
    value = first.value if isinstance(first.value, str) else round(first.value * about.factor, 6)
    facts |= {
        "picked": picked,
        "chosen": json.dumps(
            [{"of": row.of, "value": row.value, "frame": key.frame} for row, key in picked]
        ),
        "rows": [
            {
                "of": row.of,
                "value": row.value,
                "words": f"{called(shot, row.of)} · {row.about.label.lower()}",
                "all": len(row.keys),
            }
            for row in rows.values()
        ],
        "first": min(key.frame for _, key in picked),
        "kind": about.kind.value if len(kinds) == 1 else None,
        "measure": about.unit,
        "value": value if len(shown) == 1 else "",
        "various": len(shown) > 1,
        "ease": eases[0] if eases else None,
        "others": [
            np.round(curve(np.linspace(0, 1, _POINTS + 1)), 4).tolist() for curve in curves[1:]
        ],
        "facts": ease_facts(curves[0]) if curves else None,
    }
    return facts


def _picked(shot: Shot) -> list[tuple[Row, Key]]:
    """Return the keys that the page says are chosen, as far as they are there."""
    try:
        asked = json.loads(request.args.get("keys", "[]"))
        names = [(str(each["of"]), str(each["value"]), int(each["frame"])) for each in asked]
    except (ValueError, TypeError, KeyError):
        return []
    found = []
    for of, value, frame in names:
        row = row_of(shot, of, value)
        key = row.key_at(frame) if row else None
        if row and key:
            found.append((row, key))
    return found


def _things(shot: Shot) -> list[dict[str, Any]]:
    """Return all that may have keys, with those of its values that it has."""
    return [
        {
            "of": of,
            "name": called(shot, of),
            "kind": of.partition(":")[0],
            "values": [(value, about.label) for value, about in keyables_of(thing).items()],
        }
        for of, thing in things_of(shot).items()
    ]
