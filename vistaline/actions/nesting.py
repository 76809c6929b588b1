"""Shots within shots: which shot of a project another one shows, as it is now."""

from __future__ import annotations

import json

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.running import NestedShot
from vistaline.core.shot.shot import Shot
from vistaline.store.models import Revision, ShotRow

__all__ = ["emptied", "nested_in", "reference_to", "with_inner"]

_FILE = "shot:"
"""Before the id of a shot, in place of its file's name."""
_DEEPEST = 4
"""So many shots may lie one within the other."""


def reference_to(row: ShotRow) -> NestedShot:
    """Return what a shot keeps of another one that it shows."""
    return NestedShot(file=f"{_FILE}{row.id}", name=row.name)


def with_inner(session: Session, shot: Shot, above: frozenset[int]) -> Shot:
    """Return a shot that carries along those it shows, as they are now.

    ``above``: the ids of the shots that this one is part of, and its own: those are not carried.
    """
    if not shot.shots:
        return shot
    found = {}
    for key, ref in shot.shots.items():
        row = session.get(ShotRow, _id_of(ref))
        if row is None or row.id in above or len(above) > _DEEPEST:
            found[key] = ref.evolve(document=None)
            continue
        found[key] = _told(session, ref, row, above | {row.id})
    return shot.evolve(shots=found)


def _told(session: Session, ref: NestedShot, row: ShotRow, above: frozenset[int]) -> NestedShot:
    """Return what is told of a shot as it is now, with the shot itself."""
    inner = with_inner(session, _now(session, row), above)
    return ref.evolve(
        name=row.name,
        version=row.version,
        width=inner.frame.width,
        height=inner.frame.height,
        frames=inner.duration,
        rate=inner.frame.rate,
        document=dump_shot(inner),
    )


def emptied(shot: Shot) -> Shot:
    """Return a shot that only names the shots it shows, as it is kept."""
    if not any(ref.document for ref in shot.shots.values()):
        return shot
    return shot.evolve(shots={key: ref.evolve(document=None) for key, ref in shot.shots.items()})


def nested_in(session: Session, row: ShotRow, inner: ShotRow) -> NestedShot:
    """Return what ``row`` is to keep of a shot that it shows from now on.

    Raises
    ------
    Refused
        It is of another project, or the two would show each other.
    """
    if inner.project_id != row.project_id:
        raise Refused("That shot is of another project. Bring its pictures in here first.")
    if inner.id == row.id:
        raise Refused(f"{row.name} cannot show itself. Choose another shot.")
    if row.id in _shown_by(session, inner, set()):
        raise Refused(
            f"{inner.name} shows {row.name} already; the two cannot show each other. Take it out "
            "of there first."
        )
    told = with_inner(
        session,
        _now(session, row).evolve(shots={"inner": reference_to(inner)}),
        frozenset({row.id}),
    )
    return told.shots["inner"].evolve(document=None)


def _shown_by(session: Session, row: ShotRow, found: set[int]) -> set[int]:
    """Return the ids of all shots that a shot shows, itself or through others."""
    for ref in _now(session, row).shots.values():
        inner = session.get(ShotRow, _id_of(ref))
        if inner and inner.id not in found:
            found.add(inner.id)
            _shown_by(session, inner, found)
    return found


def _id_of(ref: NestedShot) -> int:
    number = ref.file.removeprefix(_FILE)
    return int(number) if number.isdecimal() else 0


def _now(session: Session, row: ShotRow) -> Shot:
    """Return a shot as it is kept, without those it shows."""
    query = select(Revision.document).where(
        Revision.owner_id == row.id, Revision.number == row.position
    )
    return parse_shot(json.loads(session.scalars(query).one()))
