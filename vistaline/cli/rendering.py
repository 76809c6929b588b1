"""Rendering without a browser: in this process, or by several side by side."""

from __future__ import annotations

import os
import re
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass
from datetime import date
from functools import partial
from multiprocessing import get_context
from pathlib import Path

import click

from vistaline.cli.looks import open_looks
from vistaline.core.delivery.delivery import Delivery, Span
from vistaline.core.delivery.naming import check_pattern, name_by
from vistaline.core.formats.encoders import ClipFormat, Encoder
from vistaline.core.render.clip import Output, frame_ranges, render_frames
from vistaline.core.render.frames import Frames
from vistaline.core.render.reel import Reel, frames_of, shots_in
from vistaline.core.render.source import QUALITIES

__all__ = ["Job", "frame_range", "named", "render_job", "say_if_rounded"]


@dataclass(frozen=True)
class Job:
    """What every process renders: it is sent to them."""

    reel: Reel
    delivery: Delivery
    span: Span
    made: str


def render_job(job: Job, output: str, workers: int) -> None:
    """Render into ``output``; says how far it is."""
    if workers > 1:
        _render_with_workers(job, output, workers)
        return
    renderer = frames_of(job.reel, open_looks, quality=QUALITIES[job.delivery.quality])
    report = partial(_report, time.monotonic(), job.span.count)
    _render_part(renderer, job, range(job.span.count), output, threads=0, progress=report)


def _render_with_workers(job: Job, output: str, workers: int) -> None:
    began, target, encoder, span = time.monotonic(), Path(output), job.delivery.encoder, job.span
    for shot in shots_in(job.reel):
        open_looks(shot)
    # Short enough that all workers have something to do to the end.
    length = max(12, min(48, -(-span.count // workers)))
    ranges = frame_ranges(0, span.count, length)
    folder = Path(tempfile.mkdtemp(prefix=f".{target.name}.", dir=target.parent))
    try:
        with ProcessPoolExecutor(workers, mp_context=get_context("spawn")) as pool:
            jobs = {
                pool.submit(
                    _render_range, job, a, b, encoder.part(folder, a) if encoder.joined else output
                ): b - a
                for a, b in ranges
            }
            done = 0
            for finished in as_completed(jobs):
                finished.result()
                done += jobs[finished]
                _report(began, span.count, done)
        if encoder.joined:
            rate = job.reel.frame.rate / span.every
            clip = ClipFormat(job.reel.frame.size, rate, job.made, first=span.number)
            parts = encoder.parts(folder, ranges)
            encoder.join(parts, target, clip, job.delivery.chosen, lambda: None)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _render_range(job: Job, start: int, stop: int, target: str) -> None:
    quality = QUALITIES[job.delivery.quality]
    renderer = frames_of(job.reel, open_looks, quality=quality, threads=1)
    _render_part(renderer, job, range(start, stop), target, threads=1)


def _render_part(
    renderer: Frames,
    job: Job,
    indices: range,
    target: str,
    *,
    threads: int,
    progress: Callable[[int], None] = lambda done: None,
) -> None:
    """Render the frames that stand at some indices of a job."""
    output = Output(
        encoder=job.delivery.encoder,
        target=target,
        options=job.delivery.chosen,
        threads=threads,
        made=job.made,
        every=job.span.every,
        first=job.span.number,
    )
    frames, numbers = zip(
        *((job.span.frame_at(index), job.span.number_at(index)) for index in indices), strict=True
    )
    render_frames(renderer, frames, output, numbers=numbers, progress=progress)


def _report(began: float, total: int, done: int) -> None:
    if not sys.stderr.isatty() and done not in (1, total) and done % 24:
        return
    left = (time.monotonic() - began) / done * (total - done)
    click.echo(f"\r{done} of {total} frames, {left:.0f} s left ", err=True, nl=False)


def named(output: str, reel: Reel, encoder: Encoder, *, take: str, camera: str) -> str:
    """Return the path with its tokens filled in; a frame's number as %04d."""
    folder, name = os.path.split(output)
    if encoder.joined and re.search(r"%\d*d|{frame}", name):
        raise click.UsageError(f"{encoder.label} is one file of all frames. Name it without %d.")
    if "{" not in name:
        return output
    stem = name[: -len(encoder.ending)]
    check_pattern(stem)
    width, height = reel.frame.size
    facts = {
        "shot": reel.name,
        "take": take,
        "camera": camera,
        "size": f"{width}x{height}",
        "date": date.today().isoformat(),
        # Longer than what stands for it: no name has it by chance.
        "frame": "0" * 40,
    }
    filled = name_by(stem, facts).replace("0" * 40, "%04d")
    return os.path.join(folder, filled + encoder.ending)


def say_if_rounded(whole: Reel, reel: Reel, scale: float) -> None:
    exact = [side * scale for side in whole.frame.size]
    if any(abs(a - b) > 1e-6 for a, b in zip(exact, reel.frame.size, strict=True)):
        width, height = reel.frame.size
        click.echo(
            f"{exact[0]:.5g} x {exact[1]:.5g} px is rounded to even: {width} x {height}.", err=True
        )


def frame_range(text: str | None, duration: int) -> range:
    if text is None:
        return range(duration)
    first, dash, last = text.partition("-")
    try:
        start, stop = int(first), int(last if dash else first) + 1
    except ValueError:
        raise click.UsageError(
            f"--frames {text}: write the first and last frame, as 0-47."
        ) from None
    if not 0 <= start < stop <= duration:
        raise click.UsageError(
            f"--frames {text}: the shot has frames 0 to {duration - 1}, in rising order."
        )
    return range(start, stop)
