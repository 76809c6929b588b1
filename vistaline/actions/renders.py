"""Asking for a clip, and rendering it range by range.

Any number of workers take ranges of one job until none is left; whoever finishes the last joins
them. A worker beats while it renders; a range whose worker has fallen silent is taken again.
"""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

from sqlalchemy import func, or_, select, update
from sqlalchemy.orm import Session, sessionmaker

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import Library
from vistaline.actions.queue import Queue
from vistaline.actions.shots import current_shot
from vistaline.core.document import dump_shot, parse_shot
from vistaline.core.errors import CoreError
from vistaline.core.formats.video import join_clips
from vistaline.core.render.clip import frame_ranges, render_clip, render_sequence
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.shot import Shot
from vistaline.store.models import (
    JobState,
    OutputKind,
    RangeState,
    RenderJob,
    RenderRange,
    ShotRow,
    now,
)

__all__ = [
    "RenderProgress",
    "announce",
    "jobs_of",
    "orphaned_jobs",
    "progress_of",
    "remove_render",
    "resume_render",
    "start_render",
    "stop_render",
    "work_on",
]

SILENCE = timedelta(seconds=12)
"""After this long without a beat a worker counts as lost."""
_BEAT = timedelta(seconds=1)
_WORKERS = 2
_ACTIVE = (JobState.WAITING, JobState.RUNNING)


class _Stopped(Exception):
    """The range was taken away from this worker: stopped by a person, or given to another."""


def start_render(
    session: Session,
    row: ShotRow,
    *,
    kind: OutputKind,
    scale: float = 1.0,
    first: int = 0,
    last: int | None = None,
) -> RenderJob:
    """Keep a render of the shot as it is now; announce it after the commit."""
    shot = current_shot(session, row)
    last = shot.frame.duration - 1 if last is None else last
    if not 0 <= first <= last < shot.frame.duration:
        raise Refused(f"The shot has frames 0 to {shot.frame.duration - 1}; choose among them.")
    if not 0.05 <= scale <= 2:
        raise Refused("A render is 5 % to 200 % of the frame's size.")
    job = RenderJob(
        shot_id=row.id,
        kind=kind,
        name=shot.name,
        document=json.dumps(dump_shot(shot)),
        scale=scale,
        frames=last - first + 1,
        ranges=[RenderRange(start=a, stop=b) for a, b in frame_ranges(first, last + 1)],
    )
    session.add(job)
    session.flush()
    return job


def stop_render(session: Session, job: RenderJob) -> None:
    """Stop a render; finished ranges are kept so that it can go on later."""
    if job.state in _ACTIVE:
        job.state = JobState.STOPPED
        _release(session, job.id)


def resume_render(session: Session, job: RenderJob, queue: Queue) -> None:
    """Let a stopped or failed render go on with what is left."""
    if job.state in (JobState.STOPPED, JobState.FAILED):
        job.state = JobState.WAITING
        job.error = ""
        _release(session, job.id)
        session.commit()
        queue.announce(job.id, _WORKERS)


def remove_render(session: Session, library: Library, job: RenderJob) -> None:
    """Remove a render and its files."""
    if job.state in _ACTIVE:
        raise Refused("This render is still running. Stop it first.")
    session.delete(job)
    session.flush()
    library.files.discard_render(job.id)


def announce(queue: Queue, job: RenderJob) -> None:
    """Tell the workers of a render that was just kept."""
    queue.announce(job.id, min(_WORKERS, len(job.ranges)))


def _release(session: Session, job_id: int) -> None:
    session.execute(
        update(RenderRange)
        .where(RenderRange.job_id == job_id, RenderRange.state == RangeState.RUNNING)
        .values(state=RangeState.WAITING, worker="", done=0, beat=None)
    )
    session.flush()


def jobs_of(session: Session, row: ShotRow) -> list[RenderJob]:
    """Return a shot's renders, the newest first."""
    query = select(RenderJob).where(RenderJob.shot_id == row.id).order_by(RenderJob.id.desc())
    return list(session.scalars(query))


class RenderProgress:
    """How far a render is."""

    def __init__(self, job: RenderJob, done: int) -> None:
        self.done, self.frames = done, job.frames
        self.percent = 100 * done // job.frames
        self.seconds_left: float | None = None
        if job.state is JobState.RUNNING and job.started and done > 0:
            self.seconds_left = (now() - job.started).total_seconds() / done * (job.frames - done)


def progress_of(session: Session, job: RenderJob) -> RenderProgress:
    """Return frames done and time left."""
    done = session.scalar(
        select(func.coalesce(func.sum(RenderRange.done), 0)).where(RenderRange.job_id == job.id)
    )
    return RenderProgress(job, int(done or 0))


def orphaned_jobs(session: Session) -> list[int]:
    """Return jobs nobody works on any more though something is left to do."""
    working = (
        select(RenderRange.id)
        .where(
            RenderRange.job_id == RenderJob.id,
            RenderRange.state == RangeState.RUNNING,
            RenderRange.beat > now() - SILENCE,
        )
        .exists()
    )
    lost = or_(RenderJob.started.is_(None), RenderJob.started < now() - SILENCE)
    query = select(RenderJob.id).where(
        RenderJob.state.in_(_ACTIVE), lost, RenderJob.created < now() - SILENCE, ~working
    )
    return list(session.scalars(query))


def work_on(sessions: sessionmaker[Session], library: Library, job_id: int, worker: str) -> None:
    """Take ranges of a job until none is left, then join them if this worker finished the last.

    Safe to call twice, and by many workers at once.
    """
    renderer: Renderer | None = None
    try:
        while claimed := _claim(sessions, job_id, worker):
            job, piece = claimed
            if renderer is None:
                shot = scaled(parse_shot(json.loads(job.document)), job.scale)
                # The workers fill the cores as processes.
                renderer = Renderer(shot, library.looks_of(shot), threads=1)
            _render_range(sessions, library, renderer, job, piece, worker)
        _finish(sessions, library, job_id, renderer.shot if renderer else None)
    except _Stopped:
        return
    except (CoreError, OSError) as error:
        with sessions.begin() as session:
            job_row = session.get(RenderJob, job_id)
            if job_row and job_row.state in _ACTIVE:
                job_row.state, job_row.error = JobState.FAILED, str(error)
                _release(session, job_id)


def _claim(
    sessions: sessionmaker[Session], job_id: int, worker: str
) -> tuple[RenderJob, RenderRange] | None:
    """Take the first range that waits, or whose worker has fallen silent."""
    with sessions.begin() as session:
        job = session.get(RenderJob, job_id)
        if job is None or job.state not in _ACTIVE:
            return None
        free = or_(
            RenderRange.state == RangeState.WAITING,
            (RenderRange.state == RangeState.RUNNING) & (RenderRange.beat < now() - SILENCE),
        )
        piece = session.scalars(
            select(RenderRange)
            .where(RenderRange.job_id == job_id, free)
            .order_by(RenderRange.start)
            .limit(1)
            .with_for_update(skip_locked=True)
        ).first()
        if piece is None:
            return None
        piece.state, piece.worker, piece.done, piece.beat = RangeState.RUNNING, worker, 0, now()
        job.state = JobState.RUNNING
        job.started = job.started or now()
        return job, piece


def _render_range(
    sessions: sessionmaker[Session],
    library: Library,
    renderer: Renderer,
    job: RenderJob,
    piece: RenderRange,
    worker: str,
) -> None:
    folder = library.files.render_folder(job.id)
    frames = range(piece.start, piece.stop)
    progress = _beater(sessions, piece.id, worker)
    if job.kind is OutputKind.MP4:
        render_clip(renderer, frames, folder / _piece_name(piece), progress=progress, threads=1)
    else:
        render_sequence(renderer, frames, str(folder / "%06d.png"), progress=progress)
    _beat(sessions, piece.id, worker, len(frames), RangeState.DONE)


def _piece_name(piece: RenderRange) -> str:
    return f"{piece.start:06d}.mp4"


def _beater(sessions: sessionmaker[Session], piece_id: int, worker: str) -> Callable[[int], None]:
    last = now()

    def beat(done: int) -> None:
        nonlocal last
        if now() - last >= _BEAT:
            last = now()
            _beat(sessions, piece_id, worker, done, RangeState.RUNNING)

    return beat


def _beat(
    sessions: sessionmaker[Session], piece_id: int, worker: str, done: int, state: RangeState
) -> None:
    """Say that this worker is alive; raises if the range is not its own any more."""
    with sessions.begin() as session:
        mine = session.execute(
            update(RenderRange)
            .where(
                RenderRange.id == piece_id,
                RenderRange.worker == worker,
                RenderRange.state == RangeState.RUNNING,
            )
            .values(done=done, state=state, beat=now())
        )
        if mine.rowcount == 0:  # type: ignore[attr-defined]
            raise _Stopped


def _finish(
    sessions: sessionmaker[Session], library: Library, job_id: int, shot: Shot | None
) -> None:
    """Join the ranges if all are done; the job's row lock lets one worker do it."""
    with sessions.begin() as session:
        job = session.scalars(
            select(RenderJob).where(RenderJob.id == job_id).with_for_update()
        ).first()
        # Waiting too: a render stopped, or failed, between its last range and the joining.
        if job is None or job.state not in _ACTIVE:
            return
        if any(piece.state is not RangeState.DONE for piece in job.ranges):
            return
        if shot is None:
            shot = scaled(parse_shot(json.loads(job.document)), job.scale)
        folder = library.files.render_folder(job_id)
        result = folder / f"result.{'mp4' if job.kind is OutputKind.MP4 else 'zip'}"
        pieces = [folder / _piece_name(piece) for piece in job.ranges]
        if job.kind is OutputKind.MP4:
            join_clips(pieces, result, shot.frame.rate)
        else:
            frames = [n for piece in job.ranges for n in range(piece.start, piece.stop)]
            pieces = [folder / f"{frame:06d}.png" for frame in frames]
            _zip(pieces, result)
        job.result = str(result.relative_to(library.files.root))
        job.size = result.stat().st_size
        job.state, job.finished = JobState.DONE, now()
    for piece in pieces:
        piece.unlink(missing_ok=True)


def _zip(frames: list[Path], result: Path) -> None:
    unfinished = result.with_suffix(".part")
    # Stored, not deflated: PNG is compressed already.
    with zipfile.ZipFile(unfinished, "w", zipfile.ZIP_STORED) as archive:
        for frame in frames:
            archive.write(frame, frame.name)
    unfinished.replace(result)
