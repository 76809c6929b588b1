"""The life of background work: taken by one worker, beaten for while it lives, ended once.

Renders' frame ranges, their joining, and picture tasks live alike. A worker takes a row, and a
thread of its own says every half second that it is alive, whatever the work is busy with. A row
whose worker has fallen silent may be taken by another; after three attempts it is given up.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from types import TracebackType
from typing import Any, Self, TypeVar

from sqlalchemy import ColumnElement, and_, func, or_, select, update
from sqlalchemy.exc import InterfaceError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from vistaline.actions.errors import ActionError
from vistaline.core.errors import CoreError
from vistaline.store.models import ACTIVE, JobState, Worked, now

__all__ = [
    "ATTEMPTS",
    "LIFE",
    "Beating",
    "Life",
    "Taken",
    "alive",
    "claim",
    "insist",
    "renew",
    "update_own",
    "words_for",
    "worn_out",
]

ATTEMPTS = 3
"""How many workers may be lost over one piece of work before it is given up."""
_PATIENCE = 120.0
"""Seconds a worker waits for a database that went away."""
_AWAY = (OperationalError, InterfaceError)
"""What the database's driver raises when it cannot be reached, or gave up waiting for a lock."""
_log = logging.getLogger(__name__)

Work = TypeVar("Work", bound=Worked)
Result = TypeVar("Result")


@dataclass(frozen=True, kw_only=True)
class Life:
    """How often a worker says that it is alive, and after what silence it counts as lost."""

    beat: float = 0.5
    """Seconds."""
    silence: float = 12.0
    """Seconds."""


LIFE = Life()


class Taken(Exception):
    """The work is not this worker's any more: stopped by a person, or given to another."""


def alive(kind: type[Worked], life: Life = LIFE) -> ColumnElement[bool]:
    """Return the condition that somebody is at a row of ``kind``, and has beaten lately."""
    beat = func.coalesce(kind.beat, datetime(1970, 1, 1))  # never: its worker was lost at once
    return and_(kind.worker != "", beat > _ago(life.silence))


def claim(
    session: Session,
    kind: type[Work],
    *which: ColumnElement[bool],
    worker: str,
    life: Life = LIFE,
) -> Work | None:
    """Take the first row of ``kind`` that is ``which`` and that nobody is at.

    The row is locked until the transaction ends. A row that was taken :data:`ATTEMPTS` times
    already is returned with ``worker`` empty: the caller must end it, see :func:`worn_out`.
    """
    free = or_(kind.worker == "", kind.beat.is_(None), kind.beat < _ago(life.silence))
    query = select(kind).where(kind.state.in_(ACTIVE), free, *which).order_by(kind.id).limit(1)
    work = session.scalars(query.with_for_update(skip_locked=True)).first()
    if work is None:
        return None
    if work.attempts >= ATTEMPTS:
        work.worker = ""
        return work
    work.worker, work.beat, work.attempts = worker, now(), work.attempts + 1
    work.state = JobState.RUNNING
    return work


def renew(work: Worked) -> None:
    """Let work that was stopped or has failed be taken again, with all its attempts."""
    work.state, work.worker, work.beat, work.attempts = JobState.WAITING, "", None, 0


def worn_out(what: str) -> str:
    """Return the sentence for work that :data:`ATTEMPTS` workers were lost over."""
    return (
        f"{what}: the program was ended {ATTEMPTS} times while at it, so it is not tried again by "
        "itself. It may need more memory than this machine has: try a smaller size."
    )


def update_own(
    session: Session, kind: type[Worked], work_id: int, owner: str, /, **values: Any
) -> None:
    """Change a row that worker ``owner`` is at; raises :class:`Taken` if it is not any more."""
    mine = session.execute(
        update(kind)
        .where(kind.id == work_id, kind.worker == owner, kind.state == JobState.RUNNING)
        .values(**values)
    )
    if mine.rowcount == 0:  # type: ignore[attr-defined]
        raise Taken


class Beating:
    """Says, from a thread, that a worker is alive while the block runs.

    A thread, because much of the work is one long call: a slow frame, the end of a clip, a fill.
    ``values`` is asked at each beat what else to write into the row: how far it is. A database
    that is away is waited for; only a row that was given to somebody else ends the beating.
    """

    def __init__(
        self,
        sessions: sessionmaker[Session],
        kind: type[Worked],
        work_id: int,
        worker: str,
        *,
        values: Callable[[], Mapping[str, Any]] = dict,
        life: Life = LIFE,
    ) -> None:
        self._sessions, self._kind, self._work_id, self._worker = sessions, kind, work_id, worker
        self._values, self._life = values, life
        self._over, self._taken = threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> Self:
        self._thread.start()
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._over.set()
        self._thread.join()

    def check(self) -> None:
        """Raise :class:`Taken` if the work was given to somebody else, or stopped."""
        if self._taken.is_set():
            raise Taken

    def _beat(self) -> None:
        while not self._over.wait(self._life.beat):
            try:
                with self._sessions.begin() as session:
                    update_own(
                        session,
                        self._kind,
                        self._work_id,
                        self._worker,
                        beat=now(),
                        **self._values(),
                    )
            except Taken:
                self._taken.set()
                return
            except _AWAY as error:
                _log.warning("no beat for %s: %s", self._worker, error.orig)


def insist(do: Callable[[], Result], *, patience: float = _PATIENCE) -> Result:
    """Return what a transaction returns; while the database is away it is tried again."""
    deadline, pause = time.monotonic() + patience, 0.2
    while True:
        try:
            return do()
        except _AWAY as error:
            if time.monotonic() > deadline:
                raise
            _log.warning("the database is waited for: %s", error.orig)
        time.sleep(pause)
        pause = min(2 * pause, 5.0)


def words_for(what: str, error: BaseException) -> str:
    """Return the sentence for an error that ends work on ``what``; the log has the rest."""
    if isinstance(error, CoreError | ActionError):
        _log.warning("%s: %s", what, error)
        return str(error)
    _log.error("%s", what, exc_info=error)
    if isinstance(error, MemoryError):
        return f"{what}: the machine ran out of memory. Try a smaller size."
    if isinstance(error, OSError) and error.strerror:
        return f"{what}: a file could not be read or written ({error.strerror})."
    return f"{what}: a fault in the program ended it. Try again; the log says more."


def _ago(seconds: float) -> datetime:
    return now() - timedelta(seconds=seconds)
