"""What runs on a layer in its own time, another shot or a picture that moves: its frames' looks."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.shot.rows import Row, values_at
from vistaline.core.shot.running import Running, frames_seen, stepped
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.stage.textures import MovingLook, NestedLook

__all__ = ["Runs", "runs_of"]


@dataclass(frozen=True)
class Runs:
    """What runs: how many frames it has, how many a second, and how it runs here."""

    runs: Running
    frames: int
    rate: Fraction
    key: str
    """Of a shot among the shot's shots, or of a picture among its pictures."""
    is_shot: bool

    def look(self, at: float) -> str:
        """Return what its frame ``at`` is called."""
        at = min(max(at, 0.0), self.frames - 1.0)
        return str(NestedLook(int(at), self.key) if self.is_shot else MovingLook(at, self.key))

    def seen(self, rows: tuple[Row, ...], duration: int, rate: Fraction) -> FloatArray:
        """Return which of its frames is seen in each of a shot's ``duration`` frames.

        ``rows`` are the layer's; one of them may say it.
        """
        every = np.arange(duration)
        keyed = next((row for row in rows if row.value == "seen"), None)
        if keyed and self.runs.seen is not None:
            return stepped(self.runs, values_at(keyed, every), self.frames)
        return frames_seen(self.runs, every, rate, frames=self.frames, own_rate=self.rate)


def runs_of(shot: Shot, layer: Layer) -> Runs | None:
    """Return what runs on a layer; None if what it shows has no frames of its own."""
    if layer.nested:
        inner = shot.shots[layer.nested.shot]
        return Runs(layer.nested.runs, inner.frames, inner.rate, layer.nested.shot, is_shot=True)
    ref = shot.pictures.get(layer.picture)
    if ref is None or layer.runs is None or ref.frames is None:
        return None
    return Runs(layer.runs, ref.frames, ref.rate or Fraction(24), layer.picture, is_shot=False)
