"""What is kept stays within one bound, whatever kinds of things ask for room."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from vistaline.core import kept
from vistaline.core.kept import Kept, forget_all, held, weight_of


@pytest.fixture(autouse=True)
def small(monkeypatch: pytest.MonkeyPatch) -> None:
    forget_all()
    monkeypatch.setattr(kept, "LIMIT", 1_000_000)


def test_what_was_not_asked_for_longest_goes_first_of_whatever_kind() -> None:
    one: Kept[np.ndarray] = Kept("ones")
    other: Kept[np.ndarray] = Kept("others")
    made: list[str] = []

    def make(name: str) -> np.ndarray:
        made.append(name)
        return np.zeros(25_000)  # 200 kB: five fit but for their keys

    for n in range(4):
        one.get(n, lambda n=n: make(f"one {n}"))
    one.get(0, lambda: make("again"))  # asked for lately
    other.get("a", lambda: make("other a"))
    assert sum(held().values()) <= 1_000_000
    one.get(0, lambda: make("again"))
    assert "again" not in made
    one.get(1, lambda: make("one 1 anew"))
    assert made[-1] == "one 1 anew"


def test_what_is_too_large_is_made_and_not_kept() -> None:
    large: Kept[np.ndarray] = Kept("large")
    assert large.get("a", lambda: np.zeros(100_000)).nbytes == 800_000
    assert held()["large"] == 0


def test_a_view_weighs_what_it_keeps_alive() -> None:
    whole = np.zeros(100_000)
    assert weight_of(whole[:10]) >= whole.nbytes
    assert weight_of({"a": [whole, "words"]}) > whole.nbytes


def test_threads_that_make_the_same_share_it() -> None:
    same: Kept[object] = Kept("same")
    found: list[object] = []
    threads = [
        threading.Thread(target=lambda: found.append(same.get("k", object))) for _ in range(8)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert same.get("k", object) in found and held()["same"] > 0
