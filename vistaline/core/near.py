"""What somebody may have meant by a name that is not there."""

from __future__ import annotations

import difflib
from collections.abc import Iterable

__all__ = ["meant"]


def meant(name: str, known: Iterable[str]) -> str:
    """Return a question that offers the nearest known name; "" if none is near.

    >>> meant("ese-in", ["linear", "ease-in"])
    "Did you mean 'ease-in'?"
    """
    near = difflib.get_close_matches(name, [*known], n=1)
    return f"Did you mean {near[0]!r}?" if near else ""
