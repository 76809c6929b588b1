"""A project's list of shots: their order, copies, what was removed and can be brought back."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.shots import create_shot, current_shot
from vistaline.core import edits
from vistaline.core.looks.tables import column_of, read_table
from vistaline.store.models import ShotListing, ShotRow, now

__all__ = [
    "bring_back",
    "duplicate_shot",
    "move_shot",
    "remove_shot",
    "removed_shots",
    "series_of",
    "shots_of",
]

_MOST_IN_SERIES = 60


def shots_of(session: Session, project_id: int) -> list[ShotRow]:
    """Return a project's shots in the order they were put in; new ones come last."""
    query = (
        select(ShotRow)
        .outerjoin(ShotListing)
        .where(ShotRow.project_id == project_id, ShotListing.removed.is_(None))
        .order_by(func.coalesce(ShotListing.place, 1_000_000), ShotRow.id)
    )
    return list(session.scalars(query))


def removed_shots(session: Session, project_id: int) -> list[ShotRow]:
    """Return the shots that were removed, the last one first."""
    query = (
        select(ShotRow)
        .join(ShotListing)
        .where(ShotRow.project_id == project_id, ShotListing.removed.is_not(None))
        .order_by(ShotListing.removed.desc())
    )
    return list(session.scalars(query))


def duplicate_shot(session: Session, row: ShotRow, *, person_id: int) -> ShotRow:
    """Start a shot that is as another is now, next to it in the list."""
    shot = current_shot(session, row)
    taken = {each.name for each in shots_of(session, row.project_id)}
    names = (f"{shot.name[:110]} copy{'' if n == 1 else f' {n}'}" for n in range(1, len(taken) + 2))
    name = next(each for each in names if each not in taken)
    made = create_shot(session, row.project_id, shot.evolve(name=name), person_id)
    order = [each for each in shots_of(session, row.project_id) if each is not made]
    order.insert(order.index(row) + 1 if row in order else len(order), made)
    _put(session, order)
    return made


def series_of(
    session: Session, row: ShotRow, layer: str, table: str, column: int, *, person_id: int
) -> list[ShotRow]:
    """Start a copy of a shot for each row of a table, in which a title says that row.

    Raises
    ------
    ShotError
        The table has no rows, or too many; or a text cannot be set.
    Refused
        There are more rows than shots that are started at once.
    """
    shot = current_shot(session, row)
    found = shot.layer(layer)
    if found.title is None:
        raise Refused(f"{found.name} is not a title.")
    texts = column_of(read_table(table), column)
    if len(texts) > _MOST_IN_SERIES:
        raise Refused(
            f"The table has {len(texts)} rows; {_MOST_IN_SERIES} shots are the most that are "
            "started at once. Bring in fewer rows."
        )
    taken, made = {each.name for each in shots_of(session, row.project_id)}, []
    for text in texts:
        named = f"{shot.name[:60]} · {' '.join(text.split())[:50]}"
        names = (named if n == 1 else f"{named} {n}" for n in range(1, len(taken) + 2))
        name = next(each for each in names if each not in taken)
        taken.add(name)
        said = edits.apply(shot, "set_title", {"layer": layer, "text": text})
        made.append(create_shot(session, row.project_id, said.evolve(name=name), person_id))
    return made


def move_shot(session: Session, row: ShotRow, by: int) -> None:
    """Move a shot by some places in the list; beyond its ends it stays there."""
    order = shots_of(session, row.project_id)
    if row not in order:
        return
    at = order.index(row)
    order.remove(row)
    order.insert(min(max(at + by, 0), len(order)), row)
    _put(session, order)


def remove_shot(session: Session, row: ShotRow) -> None:
    """Take a shot off the list; it is kept, and can be brought back."""
    _listing(session, row).removed = now()
    session.flush()


def bring_back(session: Session, row: ShotRow) -> None:
    """Put a shot that was removed back where it was."""
    _listing(session, row).removed = None
    session.flush()


def _put(session: Session, order: list[ShotRow]) -> None:
    for place, row in enumerate(order):
        _listing(session, row).place = place
    session.flush()


def _listing(session: Session, row: ShotRow) -> ShotListing:
    found = session.get(ShotListing, row.id)
    if found is None:
        found = ShotListing(shot_id=row.id)
        session.add(found)
    return found
