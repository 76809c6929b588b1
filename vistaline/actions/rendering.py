"""Rendering, range by range.

Any number of workers take ranges of one render until none is left; whoever finishes the last
joins them. How a worker takes something, beats for it and ends it is in ``life``.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import and_, func, or_, select, text
from sqlalchemy.orm import Session, sessionmaker, undefer

from vistaline.actions.life import (
    LIFE,
    Beating,
    Life,
    Taken,
    alive,
    claim,
    insist,
    update_own,
    words_for,
    worn_out,
)
from vistaline.actions.measures import FAILURES, FRAME_SECONDS, FRAMES, LOST
from vistaline.actions.pictures import Library
from vistaline.actions.render_list import finished_in, in_order
from vistaline.actions.renders import (
    NEWEST,
    delivery_of,
    facts_of,
    note,
    reel_of,
    release,
    remove_render,
    span_of_job,
    words_of,
)
from vistaline.core.delivery.delivery import Delivery, Span, names_of
from vistaline.core.files import replace_safely, write_atomically
from vistaline.core.formats.encoders import ClipFormat
from vistaline.core.picture.still import encode_jpeg
from vistaline.core.render.clip import Output, render_frames
from vistaline.core.render.frames import Frames
from vistaline.core.render.reel import Reel, frames_of, reel_at
from vistaline.core.render.source import QUALITIES
from vistaline.store.models import ACTIVE, JobState, Project, RenderJob, RenderRange, now

__all__ = ["orphaned_jobs", "tidy_renders", "work_on", "work_through"]

_SMALL = 400
"""Pixels of the longer side of the small picture of the newest frame."""
_PATIENT = 3
"""How often in a row others may be quicker before a worker leaves the list to them."""
_OLD_ENOUGH = 12.0
"""Seconds after which a render that nobody is at has lost its invitation, or its worker."""


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


def next_job(session: Session, *, life: Life = LIFE) -> int | None:
    """Return the render that comes first of those with something to do for one more worker."""
    own = RenderRange.job_id == RenderJob.id
    free = select(RenderRange.id).where(
        own, RenderRange.state.in_(ACTIVE), ~alive(RenderRange, life)
    )
    unfinished = select(RenderRange.id).where(own, RenderRange.state != JobState.DONE)
    to_join = and_(~unfinished.exists(), ~alive(RenderJob, life))
    query = select(RenderJob.id).where(RenderJob.state.in_(ACTIVE), or_(free.exists(), to_join))
    return session.scalars(in_order(query).limit(1)).first()


def work_through(
    sessions: sessionmaker[Session], library: Library, worker: str, *, life: Life = LIFE
) -> None:
    """Work on what comes first in the list of renders, until nothing is left for this worker.

    One that is put before the others is gone on with as soon as a range is finished.
    """

    def first() -> int | None:
        with sessions() as session:
            return next_job(session, life=life)

    missed = 0
    while (job_id := insist(first)) is not None:

        def others_first(job_id: int = job_id) -> bool:
            return insist(first) not in (None, job_id)

        if work_on(sessions, library, job_id, worker, life=life, leave=others_first):
            missed = 0
            continue
        # Another worker was quicker: there may be something else. If not, the sweep invites again.
        missed += 1
        if missed == _PATIENT:
            return
        time.sleep(0.2)


def tidy_renders(session: Session, library: Library) -> None:
    """Remove renders that were finished longer ago than their project keeps them."""
    for project in session.scalars(select(Project).where(Project.keep_days.is_not(None))):
        old = now() - timedelta(days=project.keep_days or 0)
        for job in finished_in(session, project.id, before=old):
            remove_render(session, library, job)


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
    leave: Callable[[], bool] = lambda: False,
) -> bool:
    """Take ranges of a job until none is left, then join them if this worker finished the last.

    Safe to call twice, and by many workers at once. Whatever goes wrong ends the render with a
    sentence. ``leave`` is asked between ranges whether to stop at that. Returns whether there was
    anything to do.
    """
    hand = _Hand(sessions=sessions, library=library, job_id=job_id, worker=worker, life=life)
    try:
        rendered = _render_all(hand, leave)
        return _join(hand) or rendered
    except Taken:
        return True
    except Exception as error:
        words = words_for(f"Render {job_id}", error)
        insist(lambda: _fail(hand, words))
        return True


def _render_all(hand: _Hand, leave: Callable[[], bool]) -> bool:
    """Render ranges; returns whether there were any."""
    work: _Work | None = None
    while claimed := insist(lambda: _claim_range(hand)):
        job, piece = claimed
        if work is None:
            work = _Work.at(hand, job)
        _render_range(hand, work, piece)
        if leave():
            break
    return work is not None


@dataclass(frozen=True, kw_only=True)
class _Work:
    """A render that ranges are rendered of."""

    job: RenderJob
    delivery: Delivery
    span: Span
    reel: Reel
    made: str
    """What made its files, in words."""
    renderer: Frames

    @classmethod
    def at(cls, hand: _Hand, job: RenderJob) -> _Work:
        delivery, looks_of = delivery_of(job), hand.library.looks_of
        quality = QUALITIES[delivery.quality]
        reel = reel_of(job)
        at_size = reel_at(reel, delivery.scale)
        # The workers fill the cores as processes.
        renderer = frames_of(at_size, looks_of, quality=quality, threads=1)
        return cls(
            job=job,
            delivery=delivery,
            span=span_of_job(job),
            reel=reel,
            made=words_of(reel),
            renderer=renderer,
        )


def _claim_range(hand: _Hand) -> tuple[RenderJob, RenderRange] | None:
    """Take the first range that waits, or whose worker has fallen silent."""
    with hand.sessions.begin() as session:
        job = session.get(RenderJob, hand.job_id, options=[undefer(RenderJob.document)])
        if job is None or job.state not in ACTIVE:
            return None
        mine = RenderRange.job_id == hand.job_id
        piece = claim(session, RenderRange, mine, worker=hand.worker, life=hand.life)
        if piece is None:
            return None
        if not piece.worker:
            _end(session, job, worn_out(_frames_of(job, piece).capitalize()))
            return None
        piece.done, piece.seconds = 0, 0.0
        job.state = JobState.RUNNING
        job.started = job.started or now()
        if piece.attempts > 1:
            LOST.inc()
            note(
                session, job, f"{_frames_of(job, piece)} again: their worker was lost", hand.worker
            )
        return job, piece


def _frames_of(job: RenderJob, piece: RenderRange) -> str:
    """Return a range in words, by the numbers its frames are handed over with."""
    span = span_of_job(job)
    return f"frames {span.number_at(piece.start)} to {span.number_at(piece.stop - 1)}"


def _render_range(hand: _Hand, work: _Work, piece: RenderRange) -> None:
    job, span, encoder = work.job, work.span, work.delivery.encoder
    folder = hand.library.files.render_folder(job.id)
    indices = range(piece.start, piece.stop)
    frames = [span.frame_at(index) for index in indices]
    began, encoded = time.monotonic(), 0

    def progress(done: int) -> None:
        nonlocal encoded
        encoded = done

    def how_far() -> dict[str, Any]:
        return {"done": encoded, "seconds": time.monotonic() - began}

    with _beating(hand, RenderRange, piece.id, how_far) as beating:
        output = Output(
            encoder=encoder,
            target=encoder.part(folder, piece.start),
            options=work.delivery.chosen,
            threads=1,
            made=work.made,
            keep=True,
            every=span.every,
        )
        render_frames(
            work.renderer,
            frames,
            output,
            numbers=indices,
            progress=progress,
            check=beating.check,
        )
        encoded = len(frames)
        for part in encoder.parts(folder, [(piece.start, piece.stop)]):
            beating.check()
            hand.library.files.share(part)
            hand.library.files.release(part)
        _show(hand, work.reel, frames[-1])
        _done(hand, RenderRange, piece.id, state=JobState.DONE, **how_far())
    FRAMES.inc(len(frames))
    FRAME_SECONDS.inc(time.monotonic() - began)
    said = f"{_frames_of(job, piece)} in {time.monotonic() - began:.1f} s"
    insist(lambda: _say(hand, said))


def _say(hand: _Hand, words: str) -> None:
    with hand.sessions.begin() as session:
        job = session.get(RenderJob, hand.job_id)
        if job is not None:
            note(session, job, words, hand.worker)


def _show(hand: _Hand, reel: Reel, frame: int) -> None:
    """Keep a small picture of a frame beside what is rendered."""
    small = reel_at(reel, min(1.0, _SMALL / max(reel.frame.size)))
    rgb = frames_of(small, hand.library.looks_of, threads=1).rgb(frame)
    path = hand.library.files.render_folder(hand.job_id) / NEWEST
    write_atomically(path, encode_jpeg(rgb))
    hand.library.files.share(path)


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


def _join(hand: _Hand) -> bool:
    """Join the ranges if all are done, and if no other worker does; returns whether it did."""
    claimed = insist(lambda: _claim_join(hand))
    if claimed is None:
        return False
    job, facts = claimed
    folder, whole = hand.library.files.render_folder(job.id), reel_of(job)
    delivery, span = delivery_of(job), span_of_job(job)
    reel = reel_at(whole, delivery.scale)
    encoder = delivery.encoder
    parts = encoder.parts(folder, [(piece.start, piece.stop) for piece in job.ranges])
    # A frame that is alone needs no archive.
    alone = not encoder.joined and len(parts) == 1
    result = folder / f"result{parts[0].suffix if alone else encoder.suffix}"
    called = names_of(delivery, facts, span)
    with _beating(hand, RenderJob, job.id) as beating:
        hand.library.files.bring(parts)
        clip = ClipFormat(
            reel.frame.size,
            reel.frame.rate / span.every,
            words_of(whole),
            first=span.number,
            names=tuple(called(index) for index in range(span.count)),
        )
        if alone:
            replace_safely(parts[0], result)
        else:
            encoder.join(parts, result, clip, delivery.chosen, beating.check)
        size = result.stat().st_size
        _done(
            hand,
            RenderJob,
            job.id,
            state=JobState.DONE,
            finished=now(),
            result=hand.library.files.share(result),
            size=size,
        )
    for part in parts:
        hand.library.files.remove(part)
    insist(lambda: _say(hand, f"done, {size / 1e6:.1f} MB"))
    return True


def _claim_join(hand: _Hand) -> tuple[RenderJob, dict[str, str]] | None:
    """Take the joining, and what names are made of; all of the job's ranges must be done."""
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
        _ = job.ranges, job.document  # loaded while there is a session
        return job, facts_of(job)


def _fail(hand: _Hand, words: str) -> None:
    with hand.sessions.begin() as session:
        job = session.get(RenderJob, hand.job_id)
        if job is not None and job.state in ACTIVE:
            _end(session, job, words)


def _end(session: Session, job: RenderJob, words: str) -> None:
    job.state, job.error, job.worker = JobState.FAILED, words, ""
    FAILURES.labels("render").inc()
    note(session, job, words)
    release(session, job.id)
