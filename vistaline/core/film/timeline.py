"""A film in time: which frame of which shot, or of which two, each of its frames shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

from vistaline.core.errors import ShotError
from vistaline.core.film.film import OVERLAPPING, Film, Join, Piece

__all__ = ["Moment", "Stretch", "Timeline"]


@dataclass(frozen=True, kw_only=True)
class Stretch:
    """A piece on the film's time."""

    piece: Piece
    first: int
    last: int
    """Frames of the shot, both shown: within what the shot has now."""
    start: int
    stop: int
    """Frames of the film, ``stop`` exclusive."""
    pace: Fraction
    """Frames of the shot in a frame of the film."""
    join: Join | None
    """How it follows the one before; shorter than asked for where a piece has become too short."""

    @property
    def frames(self) -> int:
        """How many of the film's frames it has."""
        return self.stop - self.start

    def shot_frame(self, frame: int) -> float:
        """Return which frame of the shot, maybe between two, is seen at a frame of the film."""
        return float(min(self.first + (frame - self.start) * self.pace, Fraction(self.last)))


@dataclass(frozen=True, kw_only=True)
class Moment:
    """What one frame of a film is made of."""

    stretch: Stretch
    frame: float
    """The frame of its shot."""
    join: Join | None = None
    """What is being joined there; None: the stretch is seen as it is."""
    share: float = 1.0
    """How far the join has come, above 0 and below 1."""
    before: Stretch | None = None
    """What is seen beside it, of an overlap: the piece that goes."""
    frame_before: float = 0.0
    goes: bool = False
    """Of a dip or a swish: whether this is the side that goes."""


@dataclass(frozen=True)
class Timeline:
    """A film's pieces on its time."""

    film: Film

    @cached_property
    def stretches(self) -> Sequence[Stretch]:
        """The pieces in their order.

        Raises
        ------
        ShotError
            It is not known how long one of the shots is.
        """
        found: list[Stretch] = []
        start, taken = 0, 0
        for piece in self.film.pieces:
            ref = self.film.shots[piece.shot]
            if ref.frames is None or ref.rate is None:
                raise ShotError(f"It is not known how long {ref.name or ref.file!r} is.")
            last = min(ref.frames - 1, ref.frames - 1 if piece.last is None else piece.last)
            first = min(piece.first, last)
            pace = ref.rate / self.film.frame.rate
            frames = max(1, round((last - first + 1) / pace))
            # A shot that has become shorter leaves less room for a join; it stays in the film.
            join, before = piece.join, found[-1] if found else None
            room = frames if before is None else min(frames, before.frames - taken)
            taken = 0
            if join:
                most = room if join.kind in OVERLAPPING else 2 * room
                length = min(join.frames, most)
                join = join.evolve(frames=length) if length >= 2 else None
            if join:
                taken = join.frames if join.kind in OVERLAPPING else -(-join.frames // 2)
                if join.kind in OVERLAPPING:
                    start -= join.frames
            stretch = Stretch(
                piece=piece,
                first=first,
                last=last,
                start=start,
                stop=start + frames,
                pace=pace,
                join=join,
            )
            found.append(stretch)
            start = stretch.stop
        return found

    @property
    def duration(self) -> int:
        """How many frames the film has."""
        return self.stretches[-1].stop if self.stretches else 0

    @property
    def seconds(self) -> Fraction:
        """How long it lasts."""
        return self.duration / self.film.frame.rate

    def moment(self, frame: int) -> Moment:
        """Return what a frame of the film is made of."""
        n = max(k for k, each in enumerate(self.stretches) if each.start <= frame)
        stretch = self.stretches[n]
        at = stretch.shot_frame(frame)
        join = stretch.join
        if join and join.kind in OVERLAPPING and frame < stretch.start + join.frames:
            before = self.stretches[n - 1]
            share = (frame - stretch.start + 1) / (join.frames + 1)
            return Moment(
                stretch=stretch,
                frame=at,
                join=join,
                share=share,
                before=before,
                frame_before=before.shot_frame(frame),
            )
        half = -(-join.frames // 2) if join and join.kind not in OVERLAPPING else 0
        if join and frame < stretch.start + half:
            share = _share(frame - stretch.start + half, half)
            return Moment(stretch=stretch, frame=at, join=join, share=share)
        leaving = self._leaving(n)
        if leaving and leaving.kind not in OVERLAPPING:
            half = -(-leaving.frames // 2)
            since = frame - (stretch.stop - half)
            if since >= 0:
                share = _share(since, half)
                return Moment(stretch=stretch, frame=at, join=leaving, share=share, goes=True)
        return Moment(stretch=stretch, frame=at)

    def _leaving(self, n: int) -> Join | None:
        """Return how the piece after the ``n``-th follows it, or how the film ends."""
        if n + 1 < len(self.stretches):
            return self.stretches[n + 1].join
        closing, room = self.film.closing, self.stretches[n].frames
        if closing is None:
            return None
        return closing.evolve(frames=max(2, min(closing.frames, 2 * room)))


def _share(frame: int, half: int) -> float:
    """Return how far a join of two halves has come in the middle of a frame."""
    return (frame + 0.5) / (2 * half)
