"""A document kept as revisions: the current one, changes, undo and redo, two people at once."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar, cast

from sqlalchemy import delete, func, select
from sqlalchemy.exc import NoResultFound
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from vistaline.actions.errors import Conflict, NotFound, Refused
from vistaline.store.models import Revised, RevisionOf, now

__all__ = ["Change", "History"]

LARGEST = 32_000_000
"""Characters of a document; the database takes twice as much in one piece."""

Document = TypeVar("Document")


@dataclass(frozen=True, kw_only=True)
class Change:
    """A change that somebody asks for."""

    version: int
    """Which version of the document it is for."""
    person_id: int | None
    key: str = ""
    """Names it: asked for again under the same key, it is not made twice. Empty: it has no name."""


@dataclass(frozen=True, kw_only=True)
class History(Generic[Document]):
    """The revisions of one row's document."""

    session: Session
    row: Revised
    revisions: type[RevisionOf]
    parse: Callable[[Any], Document]
    dump: Callable[[Document], Any]
    name: str
    """What the person knows it by."""
    columns: Callable[[Document], dict[str, Any]] = lambda document: {}
    """What of a document stands in columns of the row, too."""
    key: str = ""
    """Names the change that is asked for; empty if it has no name."""

    def start(self, document: Document, person_id: int | None) -> None:
        """Keep the first revision."""
        self._add(1, "start", document, person_id)

    def current(self) -> Document:
        """Return the document as it is now."""
        return self.parse(json.loads(self._revision(self.row.position).document))

    def at(self, position: int) -> Document:
        """Return the document as it was at a position; NotFound if that is gone."""
        try:
            return self.parse(json.loads(self._revision(position).document))
        except NoResultFound as error:
            raise NotFound(f"{self.name} has no such revision any more.") from error

    def change(
        self, document: Document, label: str, *, version: int, person_id: int | None
    ) -> None:
        """Keep a new document; what had been undone can no longer be redone.

        Raises
        ------
        Conflict
            The row is no longer at ``version``: somebody else changed it.
        """
        self.must_be_at(version)
        owner, number = self.revisions.owner_id, self.revisions.number
        self.session.execute(
            delete(self.revisions).where(owner == self.row.id, number > self.row.position)
        )
        self._move_to(self.row.position + 1, document)
        self._add(self.row.position, label, document, person_id)

    def undo(self, *, version: int) -> bool:
        """Go back one revision; returns False, and does nothing, at the first."""
        if self.repeated():
            return True
        self.must_be_at(version)
        if self.row.position <= 1:
            return False
        position = self.row.position - 1
        self._move_to(position, self.at(position))
        return True

    def redo(self, *, version: int) -> bool:
        """Go forward one revision; returns False, and does nothing, at the last."""
        if self.repeated():
            return True
        self.must_be_at(version)
        if self.row.position >= self._last():
            return False
        position = self.row.position + 1
        self._move_to(position, self.at(position))
        return True

    def labels(self) -> tuple[str | None, str | None]:
        """Return what undo would take back and what redo would bring again."""
        at = self.row.position
        undone = self._revision(at).label if at > 1 else None
        redone = self._revision(at + 1).label if at < self._last() else None
        return undone, redone

    def repeated(self) -> bool:
        """Whether what is asked for was made already, and its answer lost on the way.

        It may be under way just now: a server that lost its caller goes on with what it was
        asked, while the caller asks another. So the row is locked, and read again, first.
        """
        self.session.refresh(self.row, with_for_update=True)
        return bool(self.key) and self.row.last_key == self.key

    def must_be_at(self, version: int) -> None:
        """Raise Conflict unless the row is at ``version``."""
        if self.row.version != version:
            raise self._conflict()

    def _revision(self, number: int) -> RevisionOf:
        kind = self.revisions
        return self.session.scalars(
            select(kind).where(kind.owner_id == self.row.id, kind.number == number)
        ).one()

    def _last(self) -> int:
        kind = self.revisions
        query = select(func.max(kind.number)).where(kind.owner_id == self.row.id)
        return self.session.scalar(query) or 1

    def _move_to(self, position: int, document: Document) -> None:
        # All in one: each writing of the row counts its version on.
        for column, value in self.columns(document).items():
            setattr(self.row, column, value)
        self.row.position = position
        self.row.last_key = self.key[:40]
        self.row.changed = now()
        try:
            self.session.flush()
        except StaleDataError as error:
            self.session.rollback()
            raise self._conflict() from error

    def _conflict(self) -> Conflict:
        return Conflict(
            f"{self.name} was changed in another window meanwhile. Reload to see it, then try "
            "again."
        )

    def _written(self, document: Document) -> str:
        """Return the document as text that has been read back: what is kept can be loaded."""
        text = json.dumps(self.dump(document))
        if len(text) > LARGEST:
            raise Refused(
                f"{self.name} would take {len(text) / 1e6:.0f} MB to keep; the limit is "
                f"{LARGEST / 1e6:.0f} MB. Remove some strokes or keys first."
            )
        self.parse(json.loads(text))
        return text

    def _add(self, number: int, label: str, document: Document, person_id: int | None) -> None:
        revision = cast(Any, self.revisions)(
            owner_id=self.row.id,
            number=number,
            label=label,
            document=self._written(document),
            person_id=person_id,
        )
        self.session.add(revision)
        self.session.flush()
