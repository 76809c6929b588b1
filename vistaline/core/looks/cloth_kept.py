"""Cloths' motions, computed once: kept by what they follow from, in memory and in files."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from zipfile import BadZipFile

import numpy as np

from vistaline.core.arrays import FloatArray
from vistaline.core.files import write_atomically
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


class Motions:
    """Stretches of cloths' motions, kept by what they follow from: here, and in a folder."""

    def __init__(self) -> None:
        self._kept: Kept[_Chunk] = Kept("cloths")
        self._folder: Path | None = None

    def keep_in(self, folder: Path | None) -> None:
        """Keep all in a folder from now on, for other processes and for later; None: only here."""
        self._folder = folder

    def chunk(
        self, hung: Hung, number: int, progress: Callable[[float], None] | None = None
    ) -> _Chunk:
        """Return a stretch of a motion, computed from the last before it that is kept.

        ``progress`` is told which share of this one is done; what it raises ends the computing.
        """

        def made() -> _Chunk:
            path = self._path(hung, number)
            found = _read(path) if path else None
            if found is None:
                found = self._computed(hung, number, progress)
                if path:
                    _write(path, found)
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
        """Return whether a stretch is there, in the folder or, without one, here."""
        path = self._path(hung, number)
        return path.exists() if path else self._kept.has((hung, number))

    def _path(self, hung: Hung, number: int) -> Path | None:
        if self._folder is None:
            return None
        thing = repr(hung.thing) if hung.thing else ""
        told = f"{_VERSION} {hung.cloth.model_dump_json()} {hung.aspect} {thing} {number}"
        return self._folder / f"{hashlib.sha256(told.encode()).hexdigest()}.npz"


def _read(path: Path) -> _Chunk | None:
    try:
        with np.load(path, allow_pickle=False) as told:
            return _Chunk(told["frames"], told["place"], told["speed"])
    except (OSError, ValueError, KeyError, BadZipFile):
        return None  # not there, or damaged: it is computed anew


def _write(path: Path, chunk: _Chunk) -> None:
    told = BytesIO()
    np.savez(told, frames=chunk.frames, place=chunk.place, speed=chunk.speed)
    # A full disk must not stop a render: it goes on with what it computed.
    with suppress(OSError):
        write_atomically(path, told.getvalue())


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
