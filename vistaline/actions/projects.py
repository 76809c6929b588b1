"""Who sees what: a project and all in it is there only for its members."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from vistaline.actions.errors import NotFound, Refused
from vistaline.store.models import Membership, Person, Picture, Project, RenderJob, Role, ShotRow

__all__ = [
    "DEMO",
    "add_member",
    "create_project",
    "demo_of",
    "find_job",
    "find_picture",
    "find_project",
    "find_shot",
    "projects_of",
    "remove_project",
    "role_in",
]


def create_project(session: Session, person_id: int, name: str) -> Project:
    """Start a project; who starts it owns it."""
    name = name.strip()
    if not 1 <= len(name) <= 120:
        raise Refused("A project needs a name of 1 to 120 characters.")
    project = Project(name=name)
    project.members.append(Membership(person_id=person_id, role=Role.OWNER))
    session.add(project)
    session.flush()
    return project


def projects_of(session: Session, person_id: int) -> list[Project]:
    """Return a person's projects, the newest first."""
    query = (
        select(Project)
        .join(Membership)
        .where(Membership.person_id == person_id)
        .order_by(Project.created.desc(), Project.id.desc())
    )
    return list(session.scalars(query))


DEMO = "Sallow Head"
"""What the project with the demo's pictures is called."""


def demo_of(session: Session, person_id: int) -> Project | None:
    """Return the demo's project, if this person is in it."""
    return next((each for each in projects_of(session, person_id) if each.name == DEMO), None)


def role_in(session: Session, person_id: int, project_id: int) -> Role | None:
    """Return what a person may do in a project; None if nothing."""
    membership = session.get(Membership, (project_id, person_id))
    return membership.role if membership else None


def find_project(session: Session, person_id: int, project_id: int) -> Project:
    """Return a project this person works in; NotFound otherwise."""
    project = session.get(Project, project_id)
    if not project or not role_in(session, person_id, project_id):
        raise NotFound("There is no such project.")
    return project


def find_shot(session: Session, person_id: int, shot_id: int) -> ShotRow:
    """Return a shot of one of this person's projects."""
    shot = session.get(ShotRow, shot_id)
    if not shot or not role_in(session, person_id, shot.project_id):
        raise NotFound("There is no such shot.")
    return shot


def find_picture(session: Session, person_id: int, picture_id: int) -> Picture:
    """Return a picture of one of this person's projects."""
    picture = session.get(Picture, picture_id)
    if not picture or not role_in(session, person_id, picture.project_id):
        raise NotFound("There is no such picture.")
    return picture


def find_job(session: Session, person_id: int, job_id: int) -> RenderJob:
    """Return a render of one of this person's shots or films."""
    job = session.get(RenderJob, job_id)
    if not job:
        raise NotFound("There is no such render.")
    if not role_in(session, person_id, job.of.project_id):
        raise NotFound("There is no such render.")
    return job


def add_member(session: Session, owner_id: int, project_id: int, name: str) -> None:
    """Let somebody else work in a project; only an owner may."""
    find_project(session, owner_id, project_id)
    _must_own(session, owner_id, project_id)
    person = session.scalar(select(Person).where(Person.name == name.strip()))
    if not person:
        raise Refused(f"Nobody called {name.strip()!r} can sign in here. Check the name.")
    if not role_in(session, person.id, project_id):
        session.add(Membership(project_id=project_id, person_id=person.id, role=Role.MEMBER))
        session.flush()


def remove_project(session: Session, owner_id: int, project_id: int) -> None:
    """Remove a project with its shots; only an owner may."""
    project = find_project(session, owner_id, project_id)
    _must_own(session, owner_id, project_id)
    session.delete(project)
    session.flush()


def _must_own(session: Session, person_id: int, project_id: int) -> None:
    if role_in(session, person_id, project_id) is not Role.OWNER:
        raise Refused("Only an owner of this project may do that. Ask one of them.")
