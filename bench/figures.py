"""One measured figure: a row of the table and of build/bench.json."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from statistics import median
from typing import Any, Literal

import psutil


@dataclass(frozen=True)
class Figure:
    """``floor`` is what must be reached, or None where there is only something to know."""

    name: str
    value: float
    unit: str
    floor: float | None = None
    better: Literal["higher", "lower"] = "lower"

    @property
    def met(self) -> bool | None:
        if self.floor is None:
            return None
        return self.value >= self.floor if self.better == "higher" else self.value <= self.floor

    def row(self) -> dict[str, Any]:
        return {
            "name": self.name,
            "value": round(self.value, 4),
            "unit": self.unit,
            "floor": self.floor,
            "better": self.better,
        }

    def line(self, width: int) -> str:
        verdict = {True: "reached", False: "MISSED", None: ""}[self.met]
        sign = "≥" if self.better == "higher" else "≤"
        floor = "" if self.floor is None else f"{sign} {self.floor:g}"
        return f"{self.name:<{width}}  {self.value:>9.3f} {self.unit:<6} {floor:<9} {verdict}"


def interleaved(contenders: Mapping[str, Callable[[int], object]], rounds: int) -> dict[str, float]:
    """Return each contender's median seconds; they take turns, so that all meet the same noise."""
    times: dict[str, list[float]] = {name: [] for name in contenders}
    for run in contenders.values():
        run(0)
    for n in range(rounds):
        for name, run in contenders.items():
            began = time.perf_counter()
            run(n)
            times[name].append(time.perf_counter() - began)
    return {name: median(values) for name, values in times.items()}


def timed(work: Callable[[], Any]) -> tuple[Any, float]:
    """Return what the work returns, and the CPU seconds it took over all threads."""
    began = time.process_time()
    result = work()
    return result, time.process_time() - began


@dataclass
class Peak:
    """How much more memory was held at most than at the start."""

    gib: float = 0.0


@contextmanager
def peak_memory() -> Iterator[Peak]:
    """Watch this process's resident memory while something runs."""
    process, peak, done = psutil.Process(), Peak(), threading.Event()
    before = process.memory_info().rss

    def watch() -> None:
        while not done.wait(0.01):
            peak.gib = max(peak.gib, (process.memory_info().rss - before) / 2**30)

    watcher = threading.Thread(target=watch)
    watcher.start()
    try:
        yield peak
    finally:
        done.set()
        watcher.join()
