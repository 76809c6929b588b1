"""The tables. A shot, and a picture's sheet, is one document kept as revisions.

A render is a set of frame ranges, so that many workers can share it; a picture task is one's.
"""

from __future__ import annotations

from datetime import UTC, datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import JSON, DateTime, Enum, ForeignKey, MetaData, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import DATETIME, LONGTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column, relationship

__all__ = [
    "ACTIVE",
    "Base",
    "JobState",
    "Membership",
    "Person",
    "Picture",
    "PictureRole",
    "PictureTask",
    "Project",
    "RenderJob",
    "RenderRange",
    "Revised",
    "Revision",
    "RevisionOf",
    "Role",
    "SheetRevision",
    "SheetRow",
    "ShotRow",
    "TaskKind",
    "Typeface",
    "Worked",
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
    clipboard: Mapped[str | None] = mapped_column(_Document)
    """The layers copied last, as JSON: the ``project`` they are from, and the ``clip``."""


class Project(Base):
    """Pictures and shots that belong together."""

    __tablename__ = "project"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    created: Mapped[datetime] = mapped_column(default=now)
    keep_days: Mapped[int | None]
    """For how many days finished renders are kept; None: until somebody removes them."""
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


class PictureRole(StrEnum):
    """Where a picture comes from."""

    ORIGINAL = "original"
    CUTOUT = "cutout"
    PLATE = "plate"
    DEPTH = "depth"


class Picture(Base):
    """A picture. ``file`` and what is said of it are as prepared; ``original`` is as it came."""

    __tablename__ = "picture"
    __table_args__ = (UniqueConstraint("project_id", "sha256"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    name: Mapped[str]
    original: Mapped[str]
    sha256: Mapped[str] = mapped_column(String(64))
    role: Mapped[PictureRole] = mapped_column(_enum(PictureRole), default=PictureRole.ORIGINAL)
    source_id: Mapped[int | None] = mapped_column(ForeignKey("picture.id", ondelete="SET NULL"))
    placing: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    """Its place on a canvas it shares with others: ``canvas``, ``at``, ``opacity``, ``blend``."""
    file: Mapped[str]
    width: Mapped[int]
    height: Mapped[int]
    format: Mapped[str] = mapped_column(String(16))
    bits: Mapped[int]
    has_alpha: Mapped[bool]
    size: Mapped[int]
    moving: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    """Of one that moves: ``frames``, ``rate`` and what should be known, ``remarks``."""
    created: Mapped[datetime] = mapped_column(default=now)


class Typeface(Base):
    """Type that somebody brought into a project; its file is shared by its content's hash."""

    __tablename__ = "typeface"
    __table_args__ = (UniqueConstraint("project_id", "face"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    face: Mapped[str] = mapped_column(String(80))
    """What titles call it."""
    name: Mapped[str]
    file: Mapped[str]
    created: Mapped[datetime] = mapped_column(default=now)


class KeptLook(Base):
    """A list of effects, kept by a name for all shots of a project."""

    __tablename__ = "kept_look"
    __table_args__ = (UniqueConstraint("project_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(80))
    effects: Mapped[str] = mapped_column(_Document)
    created: Mapped[datetime] = mapped_column(default=now)


class Revised:
    """A document kept as revisions: which is current, and a version that grows with each change."""

    id: Mapped[int] = mapped_column(primary_key=True)
    position: Mapped[int] = mapped_column(default=1)
    version: Mapped[int] = mapped_column()
    created: Mapped[datetime] = mapped_column(default=now)
    changed: Mapped[datetime] = mapped_column(default=now)
    last_key: Mapped[str] = mapped_column(String(40), default="", server_default="")
    """Names the last change, so that one that is sent twice is made once."""

    @declared_attr.directive
    def __mapper_args__(cls) -> dict[str, Any]:
        # Optimistic locking: an UPDATE against an old version changes no row and is refused.
        return {"version_id_col": cls.version}


class RevisionOf:
    """A document after one edit; those past the current position can be redone."""

    id: Mapped[int] = mapped_column(primary_key=True)
    owner_id: Mapped[int]
    number: Mapped[int]
    label: Mapped[str] = mapped_column(String(80))
    document: Mapped[str] = mapped_column(_Document)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id", ondelete="SET NULL"))
    created: Mapped[datetime] = mapped_column(default=now)


class ShotRow(Revised, Base):
    """A shot."""

    __tablename__ = "shot"
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(120))
    project: Mapped[Project] = relationship()


class ShotListing(Base):
    """Where a shot stands in its project's list.

    A table of its own: moving a shot in the list is no change of the shot, and its version stays.
    """

    __tablename__ = "shot_listing"
    shot_id: Mapped[int] = mapped_column(
        ForeignKey("shot.id", ondelete="CASCADE"), primary_key=True
    )
    place: Mapped[int | None]
    removed: Mapped[datetime | None]
    """When it was taken off the list; it is kept, and can be brought back."""


class Revision(RevisionOf, Base):
    """A revision of a shot."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("owner_id", "number"),)
    owner_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"))


class SheetRow(Revised, Base):
    """A picture's sheet: how it is prepared, and what is cut out of it."""

    __tablename__ = "sheet"
    picture_id: Mapped[int] = mapped_column(
        ForeignKey("picture.id", ondelete="CASCADE"), unique=True
    )
    picture: Mapped[Picture] = relationship()


class SheetRevision(RevisionOf, Base):
    """A revision of a sheet."""

    __tablename__ = "sheet_revision"
    __table_args__ = (UniqueConstraint("owner_id", "number"),)
    owner_id: Mapped[int] = mapped_column(ForeignKey("sheet.id", ondelete="CASCADE"))


class FilmRow(Revised, Base):
    """A project's film."""

    __tablename__ = "film"
    project_id: Mapped[int] = mapped_column(
        ForeignKey("project.id", ondelete="CASCADE"), unique=True
    )
    project: Mapped[Project] = relationship()


class FilmRevision(RevisionOf, Base):
    """A revision of a film."""

    __tablename__ = "film_revision"
    __table_args__ = (UniqueConstraint("owner_id", "number"),)
    owner_id: Mapped[int] = mapped_column(ForeignKey("film.id", ondelete="CASCADE"))


class JobState(StrEnum):
    """Where a render or another job is."""

    WAITING = "waiting"
    RUNNING = "running"
    ASKING = "asking"
    """Something must be chosen before it can go on."""
    STOPPED = "stopped"
    DONE = "done"
    FAILED = "failed"


ACTIVE = (JobState.WAITING, JobState.RUNNING)


class Worked:
    """Work that one worker at a time is at; how it is taken and ended is in ``actions.life``."""

    id: Mapped[int] = mapped_column(primary_key=True)
    state: Mapped[JobState] = mapped_column(_enum(JobState), default=JobState.WAITING)
    worker: Mapped[str] = mapped_column(String(80), default="")
    """Who is at it; empty while nobody is."""
    beat: Mapped[datetime | None]
    """When that worker last said that it is alive."""
    attempts: Mapped[int] = mapped_column(default=0, server_default="0")
    """How often it was taken since somebody asked for it."""


class RenderJob(Worked, Base):
    """A render of a shot, or a film, as it was when the render was asked for.

    Its frame ranges are rendered by many workers; ``worker`` is the one that joins them.
    """

    __tablename__ = "render_job"
    shot_id: Mapped[int | None] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"))
    film_id: Mapped[int | None] = mapped_column(ForeignKey("film.id", ondelete="CASCADE"))
    """One of the two."""
    name: Mapped[str]
    take: Mapped[str] = mapped_column(String(80), default="", server_default="")
    camera: Mapped[str] = mapped_column(String(80), default="", server_default="")
    """The one that is seen throughout; empty: as the shot is cut."""
    document: Mapped[str] = mapped_column(_Document, deferred=True)
    delivery: Mapped[dict[str, Any]] = mapped_column(JSON)
    """What it becomes: core's ``Delivery``."""
    span: Mapped[dict[str, int]] = mapped_column(JSON)
    """Which frames are handed over: core's ``Span``; ranges are of its indices."""
    frames: Mapped[int]
    width: Mapped[int] = mapped_column(default=0, server_default="0")
    height: Mapped[int] = mapped_column(default=0, server_default="0")
    """Of a frame, in pixels."""
    urgency: Mapped[int] = mapped_column(default=1, server_default="1")
    """0: before all others; 1: as usual; 2: when nothing else waits."""
    place: Mapped[int] = mapped_column(default=0, server_default="0")
    """Among those of its urgency the lowest is rendered first; of one place, the oldest."""
    error: Mapped[str] = mapped_column(Text, default="")
    result: Mapped[str] = mapped_column(default="")
    size: Mapped[int] = mapped_column(default=0)
    created: Mapped[datetime] = mapped_column(default=now)
    started: Mapped[datetime | None]
    finished: Mapped[datetime | None]
    ranges: Mapped[list[RenderRange]] = relationship(
        cascade="all, delete-orphan", order_by="RenderRange.start"
    )
    shot: Mapped[ShotRow | None] = relationship()
    film: Mapped[FilmRow | None] = relationship()

    @property
    def of(self) -> ShotRow | FilmRow:
        """What is rendered."""
        found = self.shot or self.film
        assert found is not None
        return found


class RenderRange(Worked, Base):
    """Frames ``start`` to ``stop`` (exclusive) of those a render hands over, counted from 0."""

    __tablename__ = "render_range"
    job_id: Mapped[int] = mapped_column(ForeignKey("render_job.id", ondelete="CASCADE"))
    start: Mapped[int]
    stop: Mapped[int]
    done: Mapped[int] = mapped_column(default=0)
    """Frames that are encoded."""
    seconds: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """How long its worker has been at it, the end of the clip included."""


class RenderNote(Base):
    """A line of a render's log."""

    __tablename__ = "render_note"
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("render_job.id", ondelete="CASCADE"))
    at: Mapped[datetime] = mapped_column(default=now)
    worker: Mapped[str] = mapped_column(String(80), default="")
    """Who was at it; empty: a person asked for it."""
    words: Mapped[str] = mapped_column(Text)


class KeptDelivery(Base):
    """What a render becomes, kept by a name for all shots of a project."""

    __tablename__ = "kept_delivery"
    __table_args__ = (UniqueConstraint("project_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(80))
    delivery: Mapped[dict[str, Any]] = mapped_column(JSON)
    created: Mapped[datetime] = mapped_column(default=now)


class TaskKind(StrEnum):
    """What a picture task does."""

    IMPORT = "import"
    PREPARE = "prepare"
    EDGES = "edges"
    FILL = "fill"
    SEND = "send"
    EXPORT = "export"
    DEPTH = "depth"
    RAISE = "raise"
    STRAIGHTEN = "straighten"
    UNBOW = "unbow"
    FIND_EDGES = "find edges"
    LOOK_AHEAD = "look ahead"
    CLOTH = "cloth"
    SCENE = "scene"
    SHEET = "sheet"
    LAYERS = "layers"
    PACK = "pack"
    UNPACK = "unpack"


class PictureTask(Worked, Base):
    """Work on one picture, or on a picture as one shot sees it."""

    __tablename__ = "picture_task"
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    picture_id: Mapped[int | None] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"))
    shot_id: Mapped[int | None] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id", ondelete="SET NULL"))
    kind: Mapped[TaskKind] = mapped_column(_enum(TaskKind))
    name: Mapped[str]
    arguments: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    result: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    share: Mapped[float] = mapped_column(default=0.0)
    words: Mapped[str] = mapped_column(String(120), default="")
    error: Mapped[str] = mapped_column(Text, default="")
    created: Mapped[datetime] = mapped_column(default=now)
    started: Mapped[datetime | None]
    finished: Mapped[datetime | None]
    picture: Mapped[Picture | None] = relationship()
