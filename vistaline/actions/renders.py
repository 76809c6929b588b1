"""Asking for renders, and the list of them: how far each is, what comes first, what it is called.

The workers' side is in ``rendering``.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import ColumnElement, or_, select, update
from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.films import whole_film
from vistaline.actions.life import renew
from vistaline.actions.pictures import Library
from vistaline.actions.queue import Queue
from vistaline.actions.shots import current_shot
from vistaline.core.delivery.delivery import (
    Delivery,
    Span,
    names_of,
    parse_delivery,
    sidecar,
    span_of,
)
from vistaline.core.delivery.making import made_by
from vistaline.core.delivery.naming import name_by, name_facts
from vistaline.core.delivery.takes import shot_as
from vistaline.core.errors import RenderError
from vistaline.core.film.film import Film, dump_film
from vistaline.core.render.clip import frame_ranges, range_length
from vistaline.core.render.reel import Reel, duration_of, parse_reel, reel_at
from vistaline.core.shot.document import dump_shot
from vistaline.store.models import (
    ACTIVE,
    FilmRow,
    JobState,
    RenderJob,
    RenderNote,
    RenderRange,
    ShotRow,
)

__all__ = [
    "NEWEST",
    "RenderProgress",
    "announce",
    "delivery_of",
    "facts_of",
    "file_name",
    "in_project",
    "jobs_of",
    "last_delivery",
    "log_of",
    "made_of",
    "newest_frame",
    "note",
    "progress_of",
    "reel_now",
    "reel_of",
    "release",
    "remove_render",
    "rename_render",
    "render_again",
    "resume_render",
    "span_of_job",
    "start_renders",
    "stop_render",
    "words_of",
]

_WORKERS = 2
NEWEST = "newest.jpg"
"""The small picture of the newest frame, in a render's folder."""


def start_renders(
    session: Session,
    row: ShotRow | FilmRow,
    delivery: Delivery,
    *,
    first: int = 0,
    last: int | None = None,
    takes: Sequence[str] = ("",),
    cameras: Sequence[str] = ("",),
) -> list[RenderJob]:
    """Keep renders of a shot or a film as it is now; announce them after the commit.

    There is one for each of ``takes`` by each of ``cameras``, by their names; "" is the route, or
    the cuts, as they are.

    Raises
    ------
    Refused
        Something makes no sense; nothing is kept.
    """
    reel, duration = reel_now(session, row)
    if not duration:
        raise Refused("The film has no shots yet. Add one first.")
    try:
        span = span_of(delivery, first, duration - 1 if last is None else last, duration=duration)
        kept = [(take, camera, _as(reel, take, camera)) for take in takes for camera in cameras]
    except RenderError as error:
        raise Refused(str(error)) from error
    jobs = [_job(row, delivery, span, *each) for each in kept]
    session.add_all(jobs)
    session.flush()
    for job in jobs:
        job.place = job.id
        note(session, job, "asked for")
    session.flush()
    return jobs


def _job(
    row: ShotRow | FilmRow, delivery: Delivery, span: Span, take: str, camera: str, reel: Reel
) -> RenderJob:
    width, height = reel_at(reel, delivery.scale).frame.size
    length = range_length((width, height))
    return RenderJob(
        shot_id=row.id if isinstance(row, ShotRow) else None,
        film_id=row.id if isinstance(row, FilmRow) else None,
        name=reel.name,
        take=take,
        camera=camera,
        document=json.dumps(dump_film(reel) if isinstance(reel, Film) else dump_shot(reel)),
        delivery=delivery.model_dump(mode="json"),
        span=asdict(span),
        width=width,
        height=height,
        frames=span.count,
        ranges=[RenderRange(start=a, stop=b) for a, b in frame_ranges(0, span.count, length)],
    )


def _as(reel: Reel, take: str, camera: str) -> Reel:
    return reel if isinstance(reel, Film) else shot_as(reel, take=take, camera=camera)


def delivery_of(job: RenderJob) -> Delivery:
    """Return what a render becomes."""
    return parse_delivery(job.delivery)


def span_of_job(job: RenderJob) -> Span:
    """Return which frames a render hands over."""
    return Span(**job.span)


def facts_of(job: RenderJob) -> dict[str, str]:
    """Return what names of a render's files are made of."""
    return name_facts(
        project=job.of.project.name,
        shot=job.name,
        take=job.take,
        camera=job.camera,
        size=(job.width, job.height),
        day=job.created.date(),
        render=str(job.id),
    )


def file_name(job: RenderJob) -> str:
    """Return what the file that a finished render hands over is called."""
    delivery, span = delivery_of(job), span_of_job(job)
    ending = Path(job.result).suffix
    if ending != delivery.encoder.suffix:
        return names_of(delivery, facts_of(job), span)(0) + ending
    return name_by(delivery.name, facts_of(job)) + ending


def last_delivery(session: Session, row: ShotRow | FilmRow) -> Delivery:
    """Return what the newest render of a project becomes: what its next is likely to."""
    query = (
        select(RenderJob).where(in_project([row.project_id])).order_by(RenderJob.id.desc()).limit(1)
    )
    newest = session.scalars(query).first()
    return delivery_of(newest) if newest else Delivery()


def reel_now(session: Session, row: ShotRow | FilmRow) -> tuple[Reel, int]:
    """Return what is rendered, with all that it is made of, and how many frames it has."""
    if isinstance(row, FilmRow):
        film = whole_film(session, row)
        return film, duration_of(film)
    shot = current_shot(session, row)
    return shot, shot.duration


def render_again(session: Session, job: RenderJob) -> RenderJob:
    """Keep a render of the same document once more; announce it after the commit."""
    same = ("shot_id", "film_id", "name", "take", "camera", "document", "delivery", "span",
            "frames", "width", "height", "urgency")  # fmt: skip
    again = RenderJob(
        **{name: getattr(job, name) for name in same},
        ranges=[RenderRange(start=each.start, stop=each.stop) for each in job.ranges],
    )
    session.add(again)
    session.flush()
    again.place = again.id
    note(session, again, f"asked for, as render {job.id} once more")
    return again


def made_of(job: RenderJob) -> dict[str, Any]:
    """Return what made a render, for a file beside it."""
    reel = reel_of(job)
    return sidecar(reel, delivery_of(job), span_of_job(job), words_of(reel))


def reel_of(job: RenderJob) -> Reel:
    """Return the shot or the film that a render is of, as it was then."""
    return parse_reel(json.loads(job.document))


def words_of(reel: Reel) -> str:
    """Return the words for what made files of a shot or a film of the store."""
    # The store calls a picture's file by its content.
    return made_by(reel, lambda file: Path(file).stem)


def stop_render(session: Session, job: RenderJob) -> None:
    """Stop a render; finished ranges are kept so that it can go on later."""
    if job.state in ACTIVE:
        job.state = JobState.STOPPED
        note(session, job, "stopped")
        release(session, job.id)


def resume_render(session: Session, job: RenderJob, queue: Queue) -> bool:
    """Let a stopped or failed render go on with what is left; whether workers were reached."""
    if job.state in (JobState.STOPPED, JobState.FAILED):
        renew(job)
        job.error = ""
        note(session, job, "goes on")
        release(session, job.id)
        session.commit()
        return queue.announce(job.id, _WORKERS)
    return True


def remove_render(session: Session, library: Library, job: RenderJob) -> None:
    """Remove a render and its files."""
    if job.state in ACTIVE:
        raise Refused("This render is still running. Stop it first.")
    session.delete(job)
    session.flush()
    library.files.discard_render(job.id)


def rename_render(job: RenderJob, name: str) -> None:
    """Give a render a name of its own; what is downloaded is called by it."""
    if not name.strip():
        raise Refused("A render needs a name. Type one.")
    job.name = name.strip()[:120]


def newest_frame(library: Library, job: RenderJob) -> Path | None:
    """Return a small picture of the newest frame of a render; None before there is one."""
    path = library.files.render_folder(job.id) / NEWEST
    library.files.bring([path], newer=True)
    return path if path.exists() else None


def announce(queue: Queue, job: RenderJob) -> bool:
    """Tell the workers of a render that was just kept; whether they could be reached."""
    return queue.announce(job.id, min(_WORKERS, len(job.ranges)))


def release(session: Session, job_id: int) -> None:
    """Take a render's unfinished ranges from their workers; finished ones stay."""
    session.execute(
        update(RenderRange)
        .where(RenderRange.job_id == job_id, RenderRange.state != JobState.DONE)
        .values(state=JobState.WAITING, worker="", beat=None, attempts=0, done=0, seconds=0.0)
    )
    session.flush()


def note(session: Session, job: RenderJob, words: str, worker: str = "") -> None:
    """Put a line into a render's log."""
    session.add(RenderNote(job_id=job.id, words=words, worker=worker))


def log_of(session: Session, job: RenderJob) -> list[RenderNote]:
    """Return a render's log, the oldest line first."""
    query = select(RenderNote).where(RenderNote.job_id == job.id).order_by(RenderNote.id)
    return list(session.scalars(query))


def jobs_of(session: Session, row: ShotRow | FilmRow) -> list[RenderJob]:
    """Return a shot's or a film's renders, the newest first."""
    own = RenderJob.film_id if isinstance(row, FilmRow) else RenderJob.shot_id
    query = select(RenderJob).where(own == row.id).order_by(RenderJob.id.desc())
    return list(session.scalars(query))


@dataclass(frozen=True, kw_only=True)
class RenderProgress:
    """How far a render is."""

    frames: int
    done: int
    """Frames that are encoded."""
    seconds_left: float | None
    """None while nothing tells."""
    shown: bool
    """Whether a range is finished, so that there is a picture of its newest frame."""

    @property
    def percent(self) -> int:
        """Frames done, in per cent."""
        return 100 * self.done // self.frames


def progress_of(session: Session, jobs: Iterable[RenderJob]) -> dict[int, RenderProgress]:
    """Return frames done and time left of renders, by their numbers.

    The time left goes by how long workers were at the ranges they finished, to the end of each
    range's file: pauses do not count, and the end of a clip, when much is encoded at once, does.
    """
    columns = (RenderRange.job_id, RenderRange.state, RenderRange.stop - RenderRange.start,
               RenderRange.done, RenderRange.seconds)  # fmt: skip
    found: dict[int, RenderProgress] = {}
    open_ = [job for job in jobs if job.state is not JobState.DONE]
    ranges: dict[int, list[Any]] = {job.id: [] for job in open_}
    query = select(*columns).where(RenderRange.job_id.in_(ranges))
    for job_id, *told in session.execute(query) if open_ else ():
        ranges[job_id].append(told)
    for job in jobs:
        mine = ranges.get(job.id, [])
        running = job.state is JobState.RUNNING
        found[job.id] = RenderProgress(
            frames=job.frames,
            done=sum(each[2] for each in mine) if job.id in ranges else job.frames,
            seconds_left=_seconds_left(mine) if running else None,
            shown=job.state is JobState.DONE or any(each[0] is JobState.DONE for each in mine),
        )
    return found


def _seconds_left(ranges: list[tuple[JobState, int, int, float]]) -> float | None:
    """Return the time left from (state, frames, frames encoded, seconds worked) of each range."""
    finished = [each for each in ranges if each[0] is JobState.DONE]
    running = [each for each in ranges if each[0] is JobState.RUNNING]
    told = finished or [each for each in running if each[2] > 0]
    if not told or not running:
        return None
    # Before the first range is finished, what is encoded of it tells; it lags behind.
    a_frame = sum(each[3] for each in told) / sum(each[2] for each in told)
    waiting = sum(each[1] for each in ranges if each[0] is JobState.WAITING)
    under_way = sum(max(0.05 * each[1] * a_frame, each[1] * a_frame - each[3]) for each in running)
    return (waiting * a_frame + under_way) / len(running)


def in_project(projects: Any) -> ColumnElement[bool]:
    """Return the condition that a render is of one of some projects: numbers, or a query."""
    shots = select(ShotRow.id).where(ShotRow.project_id.in_(projects))
    films = select(FilmRow.id).where(FilmRow.project_id.in_(projects))
    return or_(RenderJob.shot_id.in_(shots), RenderJob.film_id.in_(films))
