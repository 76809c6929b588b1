"""The list of renders: what comes first, and how long what is finished is kept."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session, selectinload

from vistaline.actions.errors import Refused
from vistaline.actions.renders import in_project
from vistaline.store.models import (
    ACTIVE,
    FilmRow,
    JobState,
    Membership,
    Project,
    RenderJob,
    ShotRow,
)

__all__ = [
    "URGENCIES",
    "ended_of",
    "finished_in",
    "in_order",
    "keep_for",
    "make_urgent",
    "put",
    "to_do_of",
]

URGENCIES = ("first", "as usual", "when nothing else waits")
"""How urgent a render can be, the most urgent first."""
_WITH_PROJECT = (
    selectinload(RenderJob.shot).joinedload(ShotRow.project),
    selectinload(RenderJob.film).joinedload(FilmRow.project),
)


def in_order(query: Select[Any]) -> Select[Any]:
    """Return a query of renders in the order in which workers take them."""
    return query.order_by(RenderJob.urgency, RenderJob.place, RenderJob.id)


def to_do_of(session: Session, person_id: int) -> list[RenderJob]:
    """Return the renders of all of a person's projects that are to be done, in their order."""
    return list(session.scalars(in_order(_of(person_id).where(RenderJob.state.in_(ACTIVE)))))


def ended_of(session: Session, person_id: int) -> list[RenderJob]:
    """Return those that are done, stopped or failed, the newest first."""
    ended = _of(person_id).where(RenderJob.state.not_in(ACTIVE))
    return list(session.scalars(ended.order_by(RenderJob.id.desc())))


def _of(person_id: int) -> Select[Any]:
    mine = select(Membership.project_id).where(Membership.person_id == person_id)
    return select(RenderJob).where(in_project(mine)).options(*_WITH_PROJECT)


def put(session: Session, person_id: int, job: RenderJob, to: int) -> None:
    """Put a render at a place, from 0, among a person's renders that are to be done.

    It becomes as urgent as what it comes before. Only places of this person's own renders change
    hands: those of others stay where they are.
    """
    own = to_do_of(session, person_id)
    if job not in own:
        raise Refused("This render is done, or stopped: it has no place in the list any more.")
    places = sorted(each.place for each in own)
    rest = [each for each in own if each is not job]
    to = min(max(to, 0), len(rest))
    neighbours = rest[to : to + 1] or rest[-1:]
    for each in neighbours:
        job.urgency = each.urgency
    for each, place in zip([*rest[:to], job, *rest[to:]], places, strict=True):
        each.place = place


def make_urgent(job: RenderJob, urgency: int) -> None:
    """Say how urgent a render is: a number of :data:`URGENCIES`."""
    if urgency not in range(len(URGENCIES)):
        raise Refused(f"A render comes {', '.join(URGENCIES)}. Choose one of them.")
    job.urgency = urgency


def finished_in(session: Session, project_id: int, *, before: datetime) -> list[RenderJob]:
    """Return a project's renders that were finished before a moment."""
    query = select(RenderJob).where(
        in_project([project_id]), RenderJob.state == JobState.DONE, RenderJob.finished < before
    )
    return list(session.scalars(query))


def keep_for(project: Project, days: int | None) -> None:
    """Say for how many days a project keeps finished renders; None: until they are removed."""
    if days is not None and not 1 <= days <= 3650:
        raise Refused("Finished renders are kept 1 to 3650 days, or until you remove them.")
    project.keep_days = days
