"""``make soak``: renders under load. The first ten seconds of each demo shot, at half size.

Another process keeps both cores busy all the while. Each render must finish without one restart:
every range is taken once. With ``--reach N`` only the first N shots.
"""

from __future__ import annotations

import argparse
import multiprocessing
import os
import sys
import tempfile
import threading
import time
from pathlib import Path

from tests.conftest import private_servers
from vistaline.actions import rendering, renders
from vistaline.actions.pictures import Library
from vistaline.actions.shots import current_shot
from vistaline.core.delivery.delivery import Delivery
from vistaline.stack.run import load_demo
from vistaline.store.database import connect
from vistaline.store.files import FileStore
from vistaline.store.models import JobState, RenderJob, ShotRow

__all__ = ["main"]


def _burn(over: float) -> None:
    while time.monotonic() < over:
        sum(n * n for n in range(20_000))


def main() -> None:
    """Render under load; prints a line a shot, and exits 1 if one was restarted or did not end."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--reach", type=int, default=99)
    parser.add_argument("--seconds", type=float, default=10.0)
    parser.add_argument("--scale", type=float, default=0.5)
    chosen = parser.parse_args()
    bad = 0
    with private_servers() as addresses, tempfile.TemporaryDirectory() as folder:
        load_demo(addresses.database, FileStore(Path(folder)))
        _, sessions = connect(addresses.database)
        library = Library(FileStore(Path(folder)))
        with sessions.begin() as session:
            jobs = []
            for row in session.query(ShotRow).order_by(ShotRow.id).limit(chosen.reach):
                frame = current_shot(session, row).frame
                last = min(frame.duration, round(chosen.seconds * frame.rate)) - 1
                wanted = Delivery(scale=chosen.scale)
                (job,) = renders.start_renders(session, row, wanted, last=last)
                jobs.append((job.id, row.name))
        spawn = multiprocessing.get_context("spawn")
        busy = [
            spawn.Process(target=_burn, args=(time.monotonic() + 7200,), daemon=True)
            for _ in range(os.cpu_count() or 2)
        ]
        for process in busy:
            process.start()
        for job_id, name in jobs:
            began = time.monotonic()
            hands = [
                threading.Thread(
                    target=rendering.work_on, args=(sessions, library, job_id, f"hand {n}")
                )
                for n in range(2)
            ]
            for hand in hands:
                hand.start()
            for hand in hands:
                hand.join()
            with sessions() as session:
                job = session.get_one(RenderJob, job_id)
                attempts = max(piece.attempts for piece in job.ranges)
                good = job.state is JobState.DONE and attempts == 1
                bad += not good
                sys.stdout.write(
                    f"{name:>24}: {job.frames} frames in {time.monotonic() - began:.0f} s, "
                    f"{job.state.value}, each range taken {attempts} time(s)\n"
                )
                sys.stdout.flush()
        for process in busy:
            process.terminate()
    sys.exit(1 if bad else 0)


if __name__ == "__main__":
    main()
