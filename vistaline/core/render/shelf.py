"""Buffers that are used again from frame to frame: fresh ones cost the system's zeroing them."""

from __future__ import annotations

import numpy as np
from numpy.typing import DTypeLike

__all__ = ["Shelf"]

_ROUND = 1 << 20


class Shelf:
    """Lends arrays; what they hold when they are lent means nothing. One thread at a time."""

    def __init__(self) -> None:
        self._free: list[np.ndarray] = []
        self._used: list[np.ndarray] = []

    def lend(self, shape: tuple[int, ...], dtype: DTypeLike = np.uint16) -> np.ndarray:
        """Return an array; it is the borrower's until it is given back."""
        for n, each in enumerate(self._free):
            if each.shape == shape and each.dtype == dtype:
                found = self._free.pop(n)
                break
        else:
            found = np.empty(shape, dtype)
        if not any(each is found for each in self._used):
            self._used.append(found)
        return found

    def lend_flat(self, count: int) -> np.ndarray:
        """Return ``count`` float32, of an array that the next may use that wants a few more."""
        return self.lend((-(-count // _ROUND) * _ROUND,), np.float32)[:count]

    def take_back(self, array: np.ndarray) -> None:
        """Take one back before the others."""
        self._free.append(array)

    def take_all_back(self) -> None:
        """Take all back; those that nobody has asked for since the last time go."""
        self._free, self._used = self._used, []
