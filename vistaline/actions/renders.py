"""Asking for a clip, and rendering it range by range.

Any number of workers take ranges of one job until none is left; whoever finishes the last joins
them. How a worker takes something, beats for it and ends it is in ``life``.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session, sessionmaker

from vistaline.actions.errors import Refused
from vistaline.actions.films import whole_film
from vistaline.actions.life import (
    LIFE,
    Beating,
    Life,
    Taken,
    alive,
    claim,
    insist,
    renew,
    update_own,
    words_for,
    worn_out,
)
from vistaline.actions.pictures import Library
from vistaline.actions.queue import Queue
from vistaline.actions.shots import current_shot
from vistaline.core.errors import RenderError
from vistaline.core.files import write_atomically
from vistaline.core.film.film import dump_film
from vistaline.core.formats.encoders import ClipFormat, Encoder
from vistaline.core.formats.outputs import encoder_called, options_for
from vistaline.core.model import Part
from vistaline.core.picture.still import encode_jpeg
from vistaline.core.render.clip import Output, frame_ranges, made_by, range_length, render_frames
from vistaline.core.render.frames import Frames
from vistaline.core.render.reel import Reel, duration_of, frames_of, parse_reel, reel_at
from vistaline.core.render.source import QUALITIES
from vistaline.core.shot.document import dump_shot
from vistaline.core.shot.shot import Shot
from vistaline.store.models import (
    ACTIVE,
    FilmRow,
    JobState,
    RenderJob,
    RenderRange,
    ShotRow,
    now,
)

__all__ = [
    "RenderProgress",
    "announce",
    "expected_seconds",
    "jobs_of",
    "newest_frame",
    "orphaned_jobs",
    "progress_of",
    "remove_render",
    "rename_render",
    "resume_render",
    "start_render",
    "stop_render",
    "work_on",
]

_WORKERS = 2
_SAMPLE = 480
"""Pixels of the longer side of a frame on which it is measured how long one takes."""
_NEWEST, _SMALL = "newest.jpg", 400
"""The small picture of the newest frame, and its longer side in pixels."""
_OLD_ENOUGH = 12.0
"""Seconds after which a render that nobody is at has lost its invitation, or its worker."""


def start_render(
    session: Session,
    row: ShotRow | FilmRow,
    *,
    kind: str,
    scale: float = 1.0,
    quality: str = "standard",
    first: int = 0,
    last: int | None = None,
    options: Mapping[str, str] | None = None,
) -> RenderJob:
    """Keep a render of a shot or a film as it is now; announce it after the commit.

    ``options`` of the output, as words; the others are as usual.
    """
    try:
        chosen = options_for(encoder_called(kind), options or {})
    except RenderError as error:
        raise Refused(str(error)) from error
    reel, duration = _reel_now(session, row)
    if not duration:
        raise Refused("The film has no shots yet. Add one first.")
    last = duration - 1 if last is None else last
    if first > last:
        raise Refused(f"The first frame, {first}, comes after the last, {last}. Exchange them.")
    if not 0 <= first <= last < duration:
        what = "shot" if isinstance(row, ShotRow) else "film"
        raise Refused(f"The {what} has frames 0 to {duration - 1}; choose among them.")
    if quality not in QUALITIES:
        raise Refused(f"A render is {', '.join(QUALITIES)}, not {quality!r}. Choose one of them.")
    if not 0.05 <= scale <= 2:
        raise Refused("A render is 5 % to 200 % of the frame's size.")
    length = range_length(reel_at(reel, scale).frame.size)
    job = RenderJob(
        shot_id=row.id if isinstance(row, ShotRow) else None,
        film_id=row.id if isinstance(row, FilmRow) else None,
        kind=kind,
        name=reel.name,
        document=json.dumps(dump_shot(reel) if isinstance(reel, Shot) else dump_film(reel)),
        scale=scale,
        quality=quality,
        options=chosen.model_dump(mode="json"),
        frames=last - first + 1,
        ranges=[RenderRange(start=a, stop=b) for a, b in frame_ranges(first, last + 1, length)],
    )
    session.add(job)
    session.flush()
    return job


def _reel_now(session: Session, row: ShotRow | FilmRow) -> tuple[Reel, int]:
    """Return what is rendered, with all that it is made of, and how many frames it has."""
    if isinstance(row, FilmRow):
        film = whole_film(session, row)
        return film, duration_of(film)
    shot = current_shot(session, row)
    return shot, shot.duration


def expected_seconds(
    session: Session, row: ShotRow | FilmRow, library: Library
) -> dict[str, float]:
    """Return about how long a worker takes for a frame, in seconds, by quality.

    Measured on a small frame half way through; of a film without shots there is nothing to say.
    """
    reel, duration = _reel_now(session, row)
    if not duration:
        return {}
    small = reel_at(reel, min(1.0, _SAMPLE / max(reel.frame.size)))
    pixels = reel.frame.width * reel.frame.height / (small.frame.width * small.frame.height)
    frame = duration // 2
    found = {}
    for name, quality in QUALITIES.items():
        renderer = frames_of(small, library.looks_of, quality=quality, threads=1)
        times = []
        # What is opened first does not count; for the longest it has been by then.
        for _ in range(1 if quality.views else 3):
            began = time.perf_counter()
            renderer.yuv(frame)
            times.append(time.perf_counter() - began)
        found[name] = min(times) * pixels
    return found


def stop_render(session: Session, job: RenderJob) -> None:
    """Stop a render; finished ranges are kept so that it can go on later."""
    if job.state in ACTIVE:
        job.state = JobState.STOPPED
        _release(session, job.id)


def resume_render(session: Session, job: RenderJob, queue: Queue) -> bool:
    """Let a stopped or failed render go on with what is left; whether workers were reached."""
    if job.state in (JobState.STOPPED, JobState.FAILED):
        renew(job)
        job.error = ""
        _release(session, job.id)
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
    path = library.files.render_folder(job.id) / _NEWEST
    return path if path.exists() else None


def announce(queue: Queue, job: RenderJob) -> bool:
    """Tell the workers of a render that was just kept; whether they could be reached."""
    return queue.announce(job.id, min(_WORKERS, len(job.ranges)))


def _release(session: Session, job_id: int) -> None:
    """Take a render's unfinished ranges from their workers; finished ones stay."""
    session.execute(
        update(RenderRange)
        .where(RenderRange.job_id == job_id, RenderRange.state != JobState.DONE)
        .values(state=JobState.WAITING, worker="", beat=None, attempts=0, done=0, seconds=0.0)
    )
    session.flush()


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

    @property
    def percent(self) -> int:
        """Frames done, in per cent."""
        return 100 * self.done // self.frames


def progress_of(session: Session, job: RenderJob) -> RenderProgress:
    """Return frames done and time left.

    The time left goes by how long workers were at the ranges they finished, to the end of each
    range's file: pauses do not count, and the end of a clip, when much is encoded at once, does.
    """
    columns = (RenderRange.state, RenderRange.stop - RenderRange.start, RenderRange.done,
               RenderRange.seconds)  # fmt: skip
    ranges = session.execute(select(*columns).where(RenderRange.job_id == job.id)).all()
    left = None
    if job.state is JobState.RUNNING:
        left = _seconds_left([(a, b, c, d) for a, b, c, d in ranges])
    return RenderProgress(
        frames=job.frames, done=sum(each[2] for each in ranges), seconds_left=left
    )


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


def orphaned_jobs(session: Session, *, life: Life = LIFE) -> list[int]:
    """Return renders that nobody works on any more though something is left to do."""
    rendering = (
        select(RenderRange.id)
        .where(
            RenderRange.job_id == RenderJob.id,
            RenderRange.state == JobState.RUNNING,
            alive(RenderRange, life),
        )
        .exists()
    )
    old = func.timestampdiff(text("SECOND"), RenderJob.created, now()) >= min(
        _OLD_ENOUGH, life.silence
    )
    query = select(RenderJob.id).where(
        RenderJob.state.in_(ACTIVE), old, ~rendering, ~alive(RenderJob, life)
    )
    return list(session.scalars(query))


@dataclass(frozen=True, kw_only=True)
class _Hand:
    """A worker at a render: what it works with, and as whom."""

    sessions: sessionmaker[Session]
    library: Library
    job_id: int
    worker: str
    life: Life


def work_on(
    sessions: sessionmaker[Session],
    library: Library,
    job_id: int,
    worker: str,
    *,
    life: Life = LIFE,
) -> None:
    """Take ranges of a job until none is left, then join them if this worker finished the last.

    Safe to call twice, and by many workers at once. Whatever goes wrong ends the render with a
    sentence.
    """
    hand = _Hand(sessions=sessions, library=library, job_id=job_id, worker=worker, life=life)
    try:
        _render_all(hand)
        _join(hand)
    except Taken:
        return
    except Exception as error:
        words = words_for(f"Render {job_id}", error)
        insist(lambda: _fail(hand, words))


def _render_all(hand: _Hand) -> None:
    renderer: Frames | None = None
    while claimed := insist(lambda: _claim_range(hand)):
        job, piece = claimed
        if renderer is None:
            # The workers fill the cores as processes.
            quality, looks_of = QUALITIES[job.quality], hand.library.looks_of
            renderer = frames_of(_reel_of(job), looks_of, quality=quality, threads=1)
        _render_range(hand, renderer, job, piece)


def _reel_of(job: RenderJob) -> Reel:
    return reel_at(parse_reel(json.loads(job.document)), job.scale)


def _claim_range(hand: _Hand) -> tuple[RenderJob, RenderRange] | None:
    """Take the first range that waits, or whose worker has fallen silent."""
    with hand.sessions.begin() as session:
        job = session.get(RenderJob, hand.job_id)
        if job is None or job.state not in ACTIVE:
            return None
        mine = RenderRange.job_id == hand.job_id
        piece = claim(session, RenderRange, mine, worker=hand.worker, life=hand.life)
        if piece is None:
            return None
        if not piece.worker:
            _end(session, job, worn_out(f"Frames {piece.start} to {piece.stop - 1}"))
            return None
        piece.done, piece.seconds = 0, 0.0
        job.state = JobState.RUNNING
        job.started = job.started or now()
        return job, piece


def _render_range(hand: _Hand, renderer: Frames, job: RenderJob, piece: RenderRange) -> None:
    folder = hand.library.files.render_folder(job.id)
    frames = range(piece.start, piece.stop)
    began, encoded = time.monotonic(), 0

    def progress(done: int) -> None:
        nonlocal encoded
        encoded = done

    def how_far() -> dict[str, Any]:
        return {"done": encoded, "seconds": time.monotonic() - began}

    with _beating(hand, RenderRange, piece.id, how_far) as beating:
        encoder, options = _encoder_of(job)
        output = Output(
            encoder=encoder,
            target=encoder.part(folder, piece.start),
            options=options,
            threads=1,
            made=made_by(job.document),
            keep=True,
        )
        render_frames(renderer, frames, output, progress=progress, check=beating.check)
        encoded = len(frames)
        _show(hand, job, frames[-1])
        _done(hand, RenderRange, piece.id, state=JobState.DONE, **how_far())


def _encoder_of(job: RenderJob) -> tuple[Encoder, Part]:
    """Return what writes a job's frames, and what was chosen of it."""
    encoder = encoder_called(job.kind)
    return encoder, encoder.options.model_validate(job.options or {})


def _show(hand: _Hand, job: RenderJob, frame: int) -> None:
    """Keep a small picture of a frame beside what is rendered."""
    reel = _reel_of(job)
    small = reel_at(reel, min(1.0, _SMALL / max(reel.frame.size)))
    rgb = frames_of(small, hand.library.looks_of, threads=1).rgb(frame)
    write_atomically(hand.library.files.render_folder(job.id) / _NEWEST, encode_jpeg(rgb))


def _beating(
    hand: _Hand,
    kind: type[RenderRange] | type[RenderJob],
    work_id: int,
    values: Callable[[], dict[str, Any]] = dict,
) -> Beating:
    return Beating(hand.sessions, kind, work_id, hand.worker, values=values, life=hand.life)


def _done(
    hand: _Hand, kind: type[RenderRange] | type[RenderJob], work_id: int, **values: Any
) -> None:
    def change() -> None:
        with hand.sessions.begin() as session:
            update_own(session, kind, work_id, hand.worker, worker="", **values)

    insist(change)


def _join(hand: _Hand) -> None:
    """Join the ranges if all are done, and if no other worker does."""
    job = insist(lambda: _claim_join(hand))
    if job is None:
        return
    folder = hand.library.files.render_folder(job.id)
    (encoder, options), reel = _encoder_of(job), _reel_of(job)
    result = folder / f"result{encoder.suffix}"
    parts = encoder.parts(folder, [(piece.start, piece.stop) for piece in job.ranges])
    with _beating(hand, RenderJob, job.id) as beating:
        clip = ClipFormat(reel.frame.size, reel.frame.rate, made_by(job.document))
        encoder.join(parts, result, clip, options, beating.check)
        _done(
            hand,
            RenderJob,
            job.id,
            state=JobState.DONE,
            finished=now(),
            result=str(result.relative_to(hand.library.files.root)),
            size=result.stat().st_size,
        )
    for part in parts:
        part.unlink(missing_ok=True)


def _claim_join(hand: _Hand) -> RenderJob | None:
    """Take the joining; all of the job's ranges must be done."""
    with hand.sessions.begin() as session:
        unfinished = (
            select(RenderRange.id)
            .where(RenderRange.job_id == RenderJob.id, RenderRange.state != JobState.DONE)
            .exists()
        )
        this = RenderJob.id == hand.job_id
        job = claim(session, RenderJob, this, ~unfinished, worker=hand.worker, life=hand.life)
        if job is None:
            return None
        if not job.worker:
            _end(session, job, worn_out("The joining of its parts"))
            return None
        _ = job.ranges  # loaded while there is a session
        return job


def _fail(hand: _Hand, words: str) -> None:
    with hand.sessions.begin() as session:
        job = session.get(RenderJob, hand.job_id)
        if job is not None and job.state in ACTIVE:
            _end(session, job, words)


def _end(session: Session, job: RenderJob, words: str) -> None:
    job.state, job.error, job.worker = JobState.FAILED, words, ""
    _release(session, job.id)
