"""Threads that share the parts of a frame."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from functools import cached_property
from typing import TypeVar

__all__ = ["Crew"]

T = TypeVar("T")


class Crew:
    """Some threads, kept from frame to frame; of one there is none but the caller's."""

    def __init__(self, threads: int) -> None:
        self.threads = threads

    @cached_property
    def _pool(self) -> ThreadPoolExecutor:
        return ThreadPoolExecutor(self.threads)

    def share(self, work: Callable[[int, T], None], parts: Iterable[T]) -> None:
        """Call ``work`` with a thread's number and each part; return when all are done.

        Whichever thread is free takes the next part: cores are seldom equally fast.
        """
        waiting = iter(parts)

        def take(thread: int) -> None:
            for part in waiting:
                work(thread, part)

        if self.threads == 1:
            take(0)
            return
        for _ in self._pool.map(take, range(self.threads)):
            pass
