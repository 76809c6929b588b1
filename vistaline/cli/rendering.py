"""Rendering without a browser: in this process, or by several side by side."""

from __future__ import annotations

import os
import re
import shutil
import sys
import tempfile
import threading
import time
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from datetime import date
from multiprocessing import get_context
from pathlib import Path

import click
import numpy as np

from vistaline.cli.looks import open_looks
from vistaline.core.delivery.delivery import Delivery, Span
from vistaline.core.delivery.naming import FRAME, check_pattern, name_by, name_facts
from vistaline.core.files import replace_safely
from vistaline.core.formats.encoders import ClipFormat, Encoder, Layout
from vistaline.core.render.canvas import CompositeBand
from vistaline.core.render.clip import Output, frame_ranges, range_length, render_frames
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
    """Render into ``output``; says how far it is. One frame alone needs no number in its name.

    In the ranges in which workers of the bench render, each coded by one thread: the same frames
    make the same bytes, whoever renders them, and by how many.
    """
    target, encoder, span = Path(output), job.delivery.encoder, job.span
    alone = not encoder.joined and span.count == 1 and not re.search(r"%\d*d", target.name)
    length = range_length(job.reel.frame.size)
    ranges = frame_ranges(0, span.count, length)
    folder = Path(tempfile.mkdtemp(prefix=f".{target.name}.", dir=target.parent))
    said = _Said(span.count)
    try:
        if alone:
            output = str(folder / f"%d{target.suffix}")
        into = {a: encoder.part(folder, a) if encoder.joined else output for a, _ in ranges}
        if workers > 1:
            for shot in shots_in(job.reel):
                open_looks(shot)
            with ProcessPoolExecutor(workers, mp_context=get_context("spawn")) as pool:
                jobs = {pool.submit(_render_range, job, a, b, into[a]): b - a for a, b in ranges}
                for finished in as_completed(jobs):
                    finished.result()
                    said.more(jobs[finished])
        else:
            quality = QUALITIES[job.delivery.quality]
            renderer = _Shared(frames_of(job.reel, open_looks, quality=quality))
            # Two ranges at a time: one is coded to its end while the next is rendered.
            with ThreadPoolExecutor(2) as threads:
                asked = [
                    threads.submit(_render_part, renderer, job, range(a, b), into[a], said=said)
                    for a, b in ranges
                ]
                try:
                    for each in asked:
                        each.result()
                except BaseException:
                    threads.shutdown(cancel_futures=True)
                    raise
        if alone:
            replace_safely(Path(output % span.number), target)
        if encoder.joined:
            rate = job.reel.frame.rate / span.every
            clip = ClipFormat(job.reel.frame.size, rate, job.made, first=span.number)
            parts = encoder.parts(folder, ranges)
            encoder.join(parts, target, clip, job.delivery.chosen, lambda: None)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


class _Shared(Frames):
    """What renders frames for several threads, one frame after the other."""

    def __init__(self, inner: Frames) -> None:
        super().__init__(inner.size, inner.rate)
        self._inner, self._lock = inner, threading.Lock()

    def bands(self, frame: float, composite_band: CompositeBand) -> None:
        """See :meth:`Frames.bands`."""
        self._inner.bands(frame, composite_band)

    def pixels(self, frame: float, layout: Layout, out: np.ndarray | None = None) -> np.ndarray:
        """See :meth:`Frames.pixels`."""
        with self._lock:
            return self._inner.pixels(frame, layout, out)


class _Said:
    """Says how many frames are done, and how long the rest will take."""

    def __init__(self, total: int) -> None:
        self._began, self._total, self._done = time.monotonic(), total, 0
        self._lock = threading.Lock()

    def more(self, frames: int = 1) -> None:
        """Count frames, and say so."""
        with self._lock:
            self._done += frames
            done, total = self._done, self._total
        if not sys.stderr.isatty() and done not in (1, total) and done % 24:
            return
        left = (time.monotonic() - self._began) / done * (total - done)
        click.echo(f"\r{done} of {total} frames, {left:.0f} s left ", err=True, nl=False)


def _render_range(job: Job, start: int, stop: int, target: str) -> None:
    quality = QUALITIES[job.delivery.quality]
    renderer = frames_of(job.reel, open_looks, quality=quality, threads=1)
    _render_part(renderer, job, range(start, stop), target)


def _render_part(
    renderer: Frames, job: Job, indices: range, target: str, said: _Said | None = None
) -> None:
    """Render the frames that stand at some indices of a job."""
    output = Output(
        encoder=job.delivery.encoder,
        target=target,
        options=job.delivery.chosen,
        threads=1,
        made=job.made,
        every=job.span.every,
        first=job.span.number,
    )
    frames, numbers = zip(
        *((job.span.frame_at(index), job.span.number_at(index)) for index in indices), strict=True
    )

    def progress(done: int) -> None:
        if said:
            said.more()

    render_frames(renderer, frames, output, numbers=numbers, progress=progress)


def named(output: str, reel: Reel, encoder: Encoder, *, take: str, camera: str) -> str:
    """Return the path with its tokens filled in; a frame's number as %04d."""
    folder, name = os.path.split(output)
    if encoder.joined and re.search(r"%\d*d|{frame}", name):
        raise click.UsageError(f"{encoder.label} is one file of all frames. Name it without %d.")
    if "{" not in name:
        return output
    stem = name[: -len(encoder.ending)]
    check_pattern(stem)
    told = name_facts(
        shot=reel.name, take=take, camera=camera, size=reel.frame.size, day=date.today()
    )
    # Longer than what stands for it: no name has it by chance.
    place = "0" * 40
    filled = name_by(stem, told | {FRAME: place}).replace(place, "%04d")
    return os.path.join(folder, filled + encoder.ending)


def say_if_rounded(whole: Reel, reel: Reel, scale: float) -> None:
    """Say so where a size is no whole even number of pixels."""
    exact = [side * scale for side in whole.frame.size]
    if any(abs(a - b) > 1e-6 for a, b in zip(exact, reel.frame.size, strict=True)):
        width, height = reel.frame.size
        click.echo(
            f"{exact[0]:.5g} x {exact[1]:.5g} px is rounded to even: {width} x {height}.", err=True
        )


def frame_range(text: str | None, duration: int) -> range:
    """Return the frames that ``0-47`` names, or all; click's UsageError if there are no such."""
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
