"""The tables. A shot is one document kept as revisions; a render is a set of frame ranges."""

from __future__ import annotations

from datetime import UTC, datetime
from enum import StrEnum

from sqlalchemy import JSON, DateTime, Enum, ForeignKey, MetaData, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import DATETIME, LONGTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

__all__ = [
    "Base",
    "JobState",
    "Membership",
    "OutputKind",
    "Person",
    "Picture",
    "Project",
    "RangeState",
    "RenderJob",
    "RenderRange",
    "Revision",
    "Role",
    "ShotRow",
    "now",
]

_Moment = DateTime().with_variant(DATETIME(fsp=3), "mysql", "mariadb")
_Document = JSON().with_variant(LONGTEXT(), "mysql", "mariadb")


def now() -> datetime:
    """Return the time as stored: UTC, without a zone."""
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    """All tables; constraints are named so that migrations can name them."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {datetime: _Moment, str: String(255)}  # noqa: RUF012


def _enum(kind: type[StrEnum]) -> Enum:
    return Enum(
        kind, native_enum=False, length=16, values_callable=lambda k: [each.value for each in k]
    )


class Role(StrEnum):
    """What a person may do in a project: an owner may also invite and delete."""

    OWNER = "owner"
    MEMBER = "member"


class Person(Base):
    """Somebody who can sign in."""

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    password_hash: Mapped[str]


class Project(Base):
    """Pictures and shots that belong together."""

    __tablename__ = "project"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    created: Mapped[datetime] = mapped_column(default=now)
    members: Mapped[list[Membership]] = relationship(
        back_populates="project", cascade="all, delete-orphan"
    )


class Membership(Base):
    """Who works in a project."""

    __tablename__ = "membership"
    project_id: Mapped[int] = mapped_column(
        ForeignKey("project.id", ondelete="CASCADE"), primary_key=True
    )
    person_id: Mapped[int] = mapped_column(
        ForeignKey("person.id", ondelete="CASCADE"), primary_key=True
    )
    role: Mapped[Role] = mapped_column(_enum(Role))
    project: Mapped[Project] = relationship(back_populates="members")
    person: Mapped[Person] = relationship()


class Picture(Base):
    """A picture as it came in."""

    __tablename__ = "picture"
    __table_args__ = (UniqueConstraint("project_id", "sha256"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    name: Mapped[str]
    file: Mapped[str]
    sha256: Mapped[str] = mapped_column(String(64))
    width: Mapped[int]
    height: Mapped[int]
    format: Mapped[str] = mapped_column(String(16))
    bits: Mapped[int]
    has_alpha: Mapped[bool]
    size: Mapped[int]
    created: Mapped[datetime] = mapped_column(default=now)


class ShotRow(Base):
    """A shot: which of its revisions is current, and a version that grows with every change."""

    __tablename__ = "shot"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(120))
    position: Mapped[int] = mapped_column(default=1)
    version: Mapped[int] = mapped_column()
    created: Mapped[datetime] = mapped_column(default=now)
    changed: Mapped[datetime] = mapped_column(default=now)
    project: Mapped[Project] = relationship()
    # Optimistic locking: an UPDATE against an old version changes no row and is refused.
    __mapper_args__ = {"version_id_col": version}  # noqa: RUF012


class Revision(Base):
    """The shot's document after one edit; those past the current position can be redone."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("shot_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"))
    number: Mapped[int]
    label: Mapped[str] = mapped_column(String(80))
    document: Mapped[str] = mapped_column(_Document)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id", ondelete="SET NULL"))
    created: Mapped[datetime] = mapped_column(default=now)


class OutputKind(StrEnum):
    """What a render hands over."""

    MP4 = "mp4"
    PNG = "png"


class JobState(StrEnum):
    """Where a render is."""

    WAITING = "waiting"
    RUNNING = "running"
    STOPPED = "stopped"
    DONE = "done"
    FAILED = "failed"


class RenderJob(Base):
    """A render of a shot as it was when the render was asked for."""

    __tablename__ = "render_job"
    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"))
    kind: Mapped[OutputKind] = mapped_column(_enum(OutputKind))
    state: Mapped[JobState] = mapped_column(_enum(JobState), default=JobState.WAITING)
    name: Mapped[str]
    document: Mapped[str] = mapped_column(_Document)
    scale: Mapped[float] = mapped_column(default=1.0)
    frames: Mapped[int]
    error: Mapped[str] = mapped_column(Text, default="")
    result: Mapped[str] = mapped_column(default="")
    size: Mapped[int] = mapped_column(default=0)
    created: Mapped[datetime] = mapped_column(default=now)
    started: Mapped[datetime | None]
    finished: Mapped[datetime | None]
    ranges: Mapped[list[RenderRange]] = relationship(
        cascade="all, delete-orphan", order_by="RenderRange.start"
    )
    shot: Mapped[ShotRow] = relationship()


class RangeState(StrEnum):
    """Where a frame range is."""

    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"


class RenderRange(Base):
    """Frames ``start`` to ``stop`` (exclusive), rendered by one worker that beats while alive."""

    __tablename__ = "render_range"
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("render_job.id", ondelete="CASCADE"))
    start: Mapped[int]
    stop: Mapped[int]
    state: Mapped[RangeState] = mapped_column(_enum(RangeState), default=RangeState.WAITING)
    done: Mapped[int] = mapped_column(default=0)
    worker: Mapped[str] = mapped_column(String(80), default="")
    beat: Mapped[datetime | None]
