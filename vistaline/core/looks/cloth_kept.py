"""Cloths' motions, computed once: kept by what they follow from, in memory and in files."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Protocol
from zipfile import BadZipFile

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.kept import Kept
from vistaline.core.looks.cloth import MOST_SECONDS
from vistaline.core.looks.cloth_motion import FRAMES_A_SECOND, Hung, Motion

__all__ = ["MOTIONS", "is_prepared", "places_at", "prepare"]

_CHUNK = 150
"""Frames that are kept together."""
_VERSION = "cloth 1"
"""Of what is kept in files: another one when the same cloth moves otherwise."""
_FADE = 2.0
"""Seconds over which a loop's end becomes its beginning."""


@dataclass(frozen=True, eq=False)
class _Chunk:
    """A stretch of a cloth's motion, and how it goes on after it."""

    frames: FloatArray
    place: FloatArray
    speed: FloatArray


class KeptByName(Protocol):
    """Where things are kept as files, by name, for other processes and for later."""

    def find(self, name: str) -> Path | None:
        """Return the file of that name; None if none is kept."""
        ...

    def keep(self, name: str, data: bytes) -> None:
        """Keep a file by its name; OSError if there is no room for it."""
        ...


class Motions:
    """Stretches of cloths' motions, kept by what they follow from: here, and on a shelf."""

    def __init__(self) -> None:
        self._kept: Kept[_Chunk] = Kept("cloths")
        self._shelf: KeptByName | None = None

    def keep_on(self, shelf: KeptByName | None) -> None:
        """Keep all on a shelf from now on, too; None: only here."""
        self._shelf = shelf

    def chunk(
        self, hung: Hung, number: int, progress: Callable[[float], None] | None = None
    ) -> _Chunk:
        """Return a stretch of a motion, computed from the last before it that is kept.

        ``progress`` is told which share of this one is done; what it raises ends the computing.
        """

        def made() -> _Chunk:
            name, shelf = _name_of(hung, number), self._shelf
            found = _read(name, shelf) if shelf else None
            if found is None:
                found = self._computed(hung, number, progress)
                if shelf:
                    _write(name, found, shelf)
            return found

        return self._kept.get((hung, number), made)

    def _computed(
        self, hung: Hung, number: int, progress: Callable[[float], None] | None
    ) -> _Chunk:
        motion = Motion(hung)
        if number:
            before = self.chunk(hung, number - 1)
            motion.place, motion.speed = before.place.copy(), before.speed.copy()
            motion.frame = number * _CHUNK
        frames = []
        for n in range(_CHUNK):
            if progress:
                progress(n / _CHUNK)
            frames.append(motion.next())
        return _Chunk(np.stack(frames), motion.place, motion.speed)

    def is_kept(self, hung: Hung, number: int) -> bool:
        """Return whether a stretch is there, on the shelf or, without one, here."""
        if self._shelf:
            return self._shelf.find(_name_of(hung, number)) is not None
        return self._kept.has((hung, number))


def _name_of(hung: Hung, number: int) -> str:
    thing = repr(hung.thing) if hung.thing else ""
    told = f"{_VERSION} {hung.cloth.model_dump_json()} {hung.aspect} {thing} {number}"
    return f"{hashlib.sha256(told.encode()).hexdigest()}.npz"


def _read(name: str, shelf: KeptByName) -> _Chunk | None:
    try:
        path = shelf.find(name)
        if path is None:
            return None
        with np.load(path, allow_pickle=False) as told:
            return _Chunk(told["frames"], told["place"], told["speed"])
    except (OSError, ValueError, KeyError, BadZipFile):
        return None  # out of reach, or damaged: it is computed anew


def _write(name: str, chunk: _Chunk, shelf: KeptByName) -> None:
    told = BytesIO()
    np.savez(told, frames=chunk.frames, place=chunk.place, speed=chunk.speed)
    # A full disk must not stop a render: it goes on with what it computed.
    with suppress(OSError):
        shelf.keep(name, told.getvalue())


MOTIONS = Motions()
"""Those of this process."""


def chunks_of(hung: Hung, seconds: float) -> range:
    """Return the numbers of the stretches that a shot of so many seconds asks for."""
    length = hung.cloth.loops or MOST_SECONDS
    last = hung.cloth.settles + _fade(length) + min(length, seconds)
    return range((int(last * FRAMES_A_SECOND) + 1) // _CHUNK + 1)


def prepare(hung: Hung, seconds: float, progress: Callable[[float], None]) -> None:
    """Compute and keep a cloth's motion for a shot of so many seconds.

    ``progress`` is told which share is done, and may raise to stop it: whole stretches stay kept.
    """
    alike, wanted = hung.alike, chunks_of(hung, seconds)
    for number in wanted:
        progress(number / len(wanted))
        MOTIONS.chunk(
            alike,
            number,
            lambda share, n=number: progress((n + share) / len(wanted)),  # type: ignore[misc]
        )


def is_prepared(hung: Hung, seconds: float) -> bool:
    """Return whether all is kept that a shot of so many seconds asks for."""
    return all(MOTIONS.is_kept(hung.alike, number) for number in chunks_of(hung, seconds))


def places_at(hung: Hung, seconds: float) -> FloatArray:
    """Return where a cloth's points (rows, columns, 3) are at a time of the shot, in seconds.

    Before it, and long after, it goes on as it is computed: it begins again after ``loops``
    seconds, or ``MOST_SECONDS``, without a seam.
    """
    cloth, alike = hung.cloth, hung.alike
    length = cloth.loops or MOST_SECONDS
    fade = _fade(length)
    time = (seconds - cloth.delay) % length
    found = _between(alike, cloth.settles + fade + time)
    begins = length - fade
    if time > begins and (cloth.loops or seconds - cloth.delay > begins):
        share = (time - begins) / fade
        share = share * share * (3 - 2 * share)
        before = _between(alike, cloth.settles + fade + time - length)
        found = found + share * (before - found)
    return found


def _fade(length: float) -> float:
    return min(_FADE, length / 2)


def _between(alike: Hung, seconds: float) -> FloatArray:
    first = int(seconds * FRAMES_A_SECOND)
    share = np.float32(seconds * FRAMES_A_SECOND - first)
    one, other = (
        MOTIONS.chunk(alike, frame // _CHUNK).frames[frame % _CHUNK] for frame in (first, first + 1)
    )
    return np.asarray(one + share * (other - one))
