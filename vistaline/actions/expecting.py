"""What is to be expected of a render: how long a frame takes, how large it will be."""

from __future__ import annotations

import shutil
import time
from collections.abc import Sequence

from sqlalchemy.orm import Session

from vistaline.actions.errors import Refused
from vistaline.actions.pictures import Library
from vistaline.actions.renders import delivery_of, reel_now, span_of_job
from vistaline.core.delivery.delivery import Delivery
from vistaline.core.delivery.foretold import Cost, Sample, foretold_bytes
from vistaline.core.errors import CoreError
from vistaline.core.render.reel import frames_of, reel_at
from vistaline.core.render.source import QUALITIES
from vistaline.store.models import FilmRow, RenderJob, ShotRow

__all__ = ["check_space", "costs_of", "expected_seconds"]

_SAMPLE = 480
"""Pixels of the longer side of a frame on which it is measured how long one takes."""
_SPARE = 200_000_000
"""Bytes that stay free on the disk, for what else is kept there."""


def expected_seconds(
    session: Session, row: ShotRow | FilmRow, library: Library
) -> dict[str, float]:
    """Return about how long a worker takes for a frame, in seconds, by quality.

    Measured on a small frame half way through; of a film without shots there is nothing to say.
    """
    reel, duration = reel_now(session, row)
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


def costs_of(
    session: Session, row: ShotRow | FilmRow, library: Library, deliveries: Sequence[Delivery]
) -> list[Cost] | None:
    """Return what small frames cost as some deliveries with one ``every`` code them.

    None of what cannot be drawn: a film without shots, or a picture that is gone.
    """
    reel, duration = reel_now(session, row)
    if not duration:
        return None
    sample = Sample(reel, library.looks_of, every=deliveries[0].every)
    try:
        return [sample.cost(each.encoder, each.chosen) for each in deliveries]
    except (CoreError, OSError):
        return None


def check_space(library: Library, jobs: Sequence[RenderJob], cost: Cost, rate: float) -> None:
    """Refuse renders for which there is no room on the disk, before they begin.

    While a render's ranges are joined, they and the result are there. ``rate``: of the shot.

    Raises
    ------
    Refused
        There is not; it says how much there should be.
    """
    job = jobs[0]
    size = job.width, job.height
    each = foretold_bytes(cost, delivery_of(job), span_of_job(job), size, rate)
    needed, free = each * (len(jobs) + 1), shutil.disk_usage(library.files.root).free - _SPARE
    if needed > free:
        raise Refused(
            f"This will take about {needed / 1e9:.1f} GB on the way, and the disk has "
            f"{max(free, 0) / 1e9:.1f} GB left for it. Remove renders you do not need, or choose "
            "a smaller size."
        )
