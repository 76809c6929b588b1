"""What the panel of a title says of how it comes and goes."""

from __future__ import annotations

from typing import Any

from vistaline.core.easing import EASE_NAMES
from vistaline.core.looks.passages import By, How, Order, reading_time
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.passing import arrivals_of

__all__ = ["passage_facts"]

_HOWS = {
    How.TYPED: ("typed", "gone at once"),
    How.FADED: ("faded in", "faded out"),
    How.RISEN: ("rising", "sinking"),
    How.DROPPED: ("dropping", "lifted away"),
    How.SLID: ("sliding in", "sliding out"),
    How.GROWN: ("growing", "shrinking"),
    How.TURNED: ("turning in", "turning out"),
    How.UNBLURRED: ("out of a blur", "into a blur"),
    How.TRACKED: ("drawing together", "drawing apart"),
    How.WIPED: ("uncovered", "covered"),
}
_BYS = [(By.LETTER.value, "letters"), (By.WORD.value, "words"), (By.LINE.value, "lines")]
_ORDERS = [
    (Order.FORWARD.value, "first to last"),
    (Order.BACKWARD.value, "last to first"),
    (Order.MIDDLE.value, "from the middle"),
    (Order.RANDOM.value, "at random"),
]


def passage_facts(shot: Shot, layer: Layer) -> dict[str, Any]:
    """Return the choices, and how long a title is seen against how long it takes to be read."""
    waits = [(n, each.name or f"framing {n + 1}") for n, each in enumerate(shot.route.framings)]
    return {
        "hows": {
            way: [("none", "at once"), *((how.value, words[n]) for how, words in _HOWS.items())]
            for n, way in enumerate(("arrives", "leaves"))
        },
        "bys": _BYS,
        "orders": _ORDERS,
        "waits": [("-", "its start"), *waits],
        "eases": [(name, name) for name in EASE_NAMES],
        "reading": _reading(shot, layer) if layer.title else "",
    }


def _reading(shot: Shot, layer: Layer) -> str:
    assert layer.title
    arrivals, rate = arrivals_of(shot), float(shot.frame.rate)
    first, last = layer.seen_from, shot.frame.duration
    if layer.seen_until is not None:
        last = min(last, layer.seen_until + 1)
    # It is read from when half of it is there until half of it is gone.
    if layer.arrives:
        first = max(first, layer.arrives.begins(arrivals) + layer.arrives.frames // 2)
    if layer.leaves:
        last = min(last, layer.leaves.begins(arrivals) + layer.leaves.frames // 2)
    there, wanted = max(0.0, (last - first) / rate), reading_time(layer.title.text)
    words = f"It can be read for {there:.1f} s; its {len(layer.title.text.split())} words take "
    return f"{words}{wanted:.1f} s." + ("" if there >= wanted else " That is too short.")
