"""Background work is taken, beaten for, given up and ended; slow work is not lost work."""

from __future__ import annotations

import threading
import time
from datetime import timedelta

import pytest
from flask.testing import FlaskClient

from tests.web.conftest import MemoryQueue, words_in
from tests.web.test_web import start
from vistaline.actions import life, rendering, renders
from vistaline.actions.life import ATTEMPTS, Life
from vistaline.actions.tasks import orphaned_tasks, start_task, work_on_task
from vistaline.actions.works import WORKS
from vistaline.core.formats.video import ClipWriter
from vistaline.core.render.frame import Renderer
from vistaline.store.models import JobState, PictureTask, RenderJob, RenderRange, TaskKind
from vistaline.web.context import Services

HURRIED = Life(beat=0.05, silence=0.6)
"""A twentieth of the real patience, so that work of 3 s stands for work of 60 s."""


def watched(services: Services, job: int, monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Do a render while a second worker asks for it all the time, as the sweep would."""
    claimed: list[int] = []
    original = rendering._claim_range

    def counting(hand):  # type: ignore[no-untyped-def]
        found = original(hand)
        if found:
            claimed.append(found[1].start)
        return found

    monkeypatch.setattr(rendering, "_claim_range", counting)
    over = threading.Event()

    def sweep() -> None:
        while not over.wait(0.1):
            with services.sessions() as session:
                orphaned = rendering.orphaned_jobs(session, life=HURRIED)
            if job in orphaned:
                rendering.work_on(services.sessions, services.library, job, "another", life=HURRIED)

    thread = threading.Thread(target=sweep)
    thread.start()
    try:
        rendering.work_on(services.sessions, services.library, job, "one", life=HURRIED)
    finally:
        over.set()
        thread.join()
    return claimed


def test_a_writer_that_takes_long_to_close_is_waited_for(
    client: FlaskClient, shot: str, services: Services, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Five times the silence after which a worker counts as lost: 60 s of the real 12 s."""
    leave = ClipWriter.__exit__

    def slowly(self, *error):  # type: ignore[no-untyped-def]
        time.sleep(5 * HURRIED.silence)
        leave(self, *error)

    monkeypatch.setattr(ClipWriter, "__exit__", slowly)
    job = start(client, shot, services, first=0, last=11)
    assert watched(services, job, monkeypatch) == [0]
    with services.sessions() as session:
        assert session.get(RenderJob, job).state is JobState.DONE
        (piece,) = session.query(RenderRange).filter_by(job_id=job)
        assert (piece.attempts, piece.done) == (1, 12)
        assert piece.seconds >= 5 * HURRIED.silence  # the time left will count it


def test_a_frame_that_takes_long_is_waited_for(
    client: FlaskClient, shot: str, services: Services, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Two and a half times the silence: a frame of 30 s."""
    draw = Renderer.yuv

    def slowly(self, frame, *more):  # type: ignore[no-untyped-def]
        time.sleep(2.5 * HURRIED.silence if frame == 3 else 0)
        return draw(self, frame, *more)

    job = start(client, shot, services, first=0, last=11)
    monkeypatch.setattr(Renderer, "yuv", slowly)
    assert watched(services, job, monkeypatch) == [0]
    with services.sessions() as session:
        assert session.get(RenderJob, job).state is JobState.DONE


def test_frames_that_are_safe_are_never_done_again(
    client: FlaskClient, shot: str, services: Services, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A worker is lost in its second range, at its last frame; nothing before is rendered anew."""
    drawn: list[int] = []
    draw = Renderer.rgb

    class Lost(BaseException):
        """The process was killed: nothing is told to anybody."""

    def dying(self, frame, *more):  # type: ignore[no-untyped-def]
        if frame == 47 and 47 not in drawn:
            drawn.append(47)
            raise Lost
        drawn.append(frame)
        return draw(self, frame, *more)

    job = start(client, shot, services, kind="png", first=0, last=49)
    monkeypatch.setattr(Renderer, "rgb", dying)
    monkeypatch.setattr(rendering, "_show", lambda *shown: None)  # a small picture of each range
    with pytest.raises(Lost):
        rendering.work_on(services.sessions, services.library, job, "one", life=HURRIED)
    time.sleep(HURRIED.silence)
    rendering.work_on(services.sessions, services.library, job, "two", life=HURRIED)
    with services.sessions() as session:
        assert session.get(RenderJob, job).state is JobState.DONE
    assert drawn == [*range(47), 47, 47, 48, 49]


def lose(services: Services, kind: type[RenderRange] | type[PictureTask], key: int) -> None:
    """Let a worker take a row and be killed."""
    with services.sessions.begin() as session:
        found = life.claim(session, kind, kind.id == key, worker="lost")
        assert found and found.worker == "lost"
        found.beat -= timedelta(seconds=60)


def test_a_render_that_kills_its_workers_is_given_up(
    client: FlaskClient, shot: str, services: Services, queue: MemoryQueue
) -> None:
    job = start(client, shot, services)
    with services.sessions() as session:
        first, second = session.get(RenderJob, job).ranges
    for _ in range(ATTEMPTS):
        lose(services, RenderRange, second.id)
    rendering.work_on(services.sessions, services.library, job, "one")
    words = words_in(client.get(f"{shot}/renders"))
    assert "Frames 24 to 49: the program was ended 3 times while at it" in words
    with services.sessions() as session:
        assert session.get(RenderRange, first.id).state is JobState.DONE  # kept
        assert job not in rendering.orphaned_jobs(session)
    # Somebody may ask for it again; then it is tried as if for the first time.
    client.post(f"/renders/{job}/resume")
    rendering.work_on(services.sessions, services.library, job, "one")
    with services.sessions() as session:
        assert session.get(RenderJob, job).state is JobState.DONE


def test_any_failure_ends_a_render_with_a_sentence(
    client: FlaskClient,
    shot: str,
    services: Services,
    monkeypatch: pytest.MonkeyPatch,
    caplog: pytest.LogCaptureFixture,
) -> None:
    job = start(client, shot, services)

    def faulty(*_):  # type: ignore[no-untyped-def]
        raise ZeroDivisionError

    monkeypatch.setattr(Renderer, "yuv", faulty)
    rendering.work_on(services.sessions, services.library, job, "one")
    with services.sessions() as session:
        row = session.get(RenderJob, job)
        assert row.state is JobState.FAILED
        assert "a fault in the program ended it" in row.error
        assert job not in rendering.orphaned_jobs(session, life=HURRIED)
    assert "ZeroDivisionError" in caplog.text


def test_a_task_that_kills_its_workers_is_given_up(
    services: Services, client: FlaskClient, project: str
) -> None:
    with services.sessions.begin() as session:
        number = int(project.rsplit("/", 1)[1])
        task = start_task(session, number, TaskKind.IMPORT, "deadly.png", arguments={"file": "x"})
    for _ in range(ATTEMPTS):
        lose(services, PictureTask, task.id)
    with services.sessions() as session:
        assert task.id in orphaned_tasks(session)
    work_on_task(services.sessions, services.library, task.id, "one", WORKS)
    with services.sessions() as session:
        found = session.get(PictureTask, task.id)
        assert found.state is JobState.FAILED and "deadly.png: the program was ended" in found.error
        assert task.id not in orphaned_tasks(session)


@pytest.mark.parametrize(
    ("ranges", "left"),
    [
        # (state, frames, encoded, seconds). One of two done in 20 s, the other 5 s under way.
        ([("done", 24, 24, 20.0), ("running", 24, 0, 5.0)], 15.0),
        # Two workers share what waits; a pause between them is in no range's seconds.
        ([("done", 24, 24, 24.0), ("running", 24, 20, 0.0), ("running", 24, 3, 0.0),
          ("waiting", 24, 0, 0.0)], 36.0),
        # All frames are rendered and the file is being closed, longer than the ranges before.
        ([("done", 24, 24, 20.0), ("running", 24, 23, 40.0)], 1.0),
        ([("running", 24, 0, 9.0)], None),
        ([("running", 24, 12, 6.0)], 6.0),
        ([("waiting", 24, 0, 0.0)], None),
    ],
)  # fmt: skip
def test_the_time_left(ranges: list[tuple[str, int, int, float]], left: float | None) -> None:
    found = renders._seconds_left([(JobState(state), *rest) for state, *rest in ranges])
    assert found == pytest.approx(left) if left is not None else found is None
