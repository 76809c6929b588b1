"""Handing over: workers side by side, whole clips, large frames, packages, a long list."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
import zipfile
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from multiprocessing import get_context
from pathlib import Path
from statistics import median

import numpy as np

from bench import scene
from bench.figures import Figure
from tests.conftest import private_servers
from vistaline.actions import renders
from vistaline.actions.people import add_person
from vistaline.actions.pictures import Library
from vistaline.actions.projects import create_project
from vistaline.actions.shots import import_shot_file
from vistaline.cli.rendering import Job, _render_range, render_job
from vistaline.core.delivery.delivery import Delivery, span_of
from vistaline.core.formats.filmfile import read_reel_file
from vistaline.core.formats.package import pack_shot
from vistaline.core.formats.shotfile import write_shot_file
from vistaline.core.picture.colour import straight_codes
from vistaline.core.picture.still import encode_png
from vistaline.core.render.reel import reel_at
from vistaline.store.database import connect
from vistaline.store.files import FileStore
from vistaline.store.models import JobState, RenderJob
from vistaline.store.settings import Settings
from vistaline.web.app import create_app

FRAMES = 96
LISTED = 1000
PACKED = 500_000_000


def measure() -> list[Figure]:
    """Return ratios in one run each, memory in GiB, and a page's time in milliseconds."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        file = _shot_file(folder)
        os.environ["VISTALINE_CACHE"] = str(folder / "cache")
        return [
            *_side_by_side(file, folder),
            *_whole(file, folder, "mp4", 1.08),
            *_whole(file, folder, "master", 1.15),
            *_large(file, folder),
            _packing(folder),
            _listing(file, folder),
        ]


def _shot_file(folder: Path) -> Path:
    """Write the scene with its pictures, as files."""
    pictures = {}
    for key, pyramid in scene.pyramids().items():
        path = folder / f"{key}.png"
        path.write_bytes(encode_png(straight_codes(pyramid.picture), level=1))
        pictures[key] = path.name
    file = folder / "scene.json"
    write_shot_file(scene.shot(FRAMES), file, pictures)
    return file


def _job(file: Path, output: str, *, scale: float = 1.0, last: int = FRAMES - 1) -> Job:
    reel = reel_at(read_reel_file(file), scale)
    delivery = Delivery(output=output)
    return Job(reel, delivery, span_of(delivery, 0, last, duration=FRAMES), "")


def _cpu() -> float:
    times = os.times()
    return times.user + times.system + times.children_user + times.children_system


def _side_by_side(file: Path, folder: Path) -> list[Figure]:
    """Two workers over one, each a process with one thread, for frames as PNG."""
    job = _job(file, "png", scale=0.5)
    ranges = [(at, at + 12) for at in range(0, FRAMES, 12)]
    seconds: dict[int, list[float]] = {1: [], 2: []}
    for turn in range(3):
        for workers in (1, 2):
            target = folder / f"{turn}-{workers}"
            target.mkdir()
            with ProcessPoolExecutor(workers, mp_context=get_context("spawn")) as pool:
                # What starting takes, and what is opened first, is no part of it.
                for each in [
                    pool.submit(_render_range, job, n, n + 2, f"{target}/%d.png") for n in (0, 2, 4)
                ]:
                    each.result()
                began = time.perf_counter()
                for done in [
                    pool.submit(_render_range, job, a, b, f"{target}/%d.png") for a, b in ranges
                ]:
                    done.result()
                seconds[workers].append(time.perf_counter() - began)
    ratio = median(a / b for a, b in zip(seconds[1], seconds[2], strict=True))
    return [Figure("delivery, two workers over one, frames", ratio, "x", 1.8, "higher")]


def _whole(file: Path, folder: Path, output: str, floor: float) -> list[Figure]:
    """A clip by the command line's way: wall time over the processor time it took / cores."""
    job, cores = _job(file, output), os.cpu_count() or 1
    ending = job.delivery.encoder.ending
    render_job(replace(job, span=span_of(job.delivery, 0, 5, duration=FRAMES)),
               str(folder / f"warm{ending}"), 1)  # fmt: skip
    began, cpu = time.perf_counter(), _cpu()
    render_job(job, str(folder / f"whole{ending}"), 1)
    wall, work = time.perf_counter() - began, _cpu() - cpu
    return [
        Figure(f"delivery, {output}, wall over work / cores", wall * cores / work, "x", floor),
        Figure(f"delivery, {output}, frames a second", FRAMES / wall, "fps", None, "higher"),
    ]


def _large(file: Path, folder: Path) -> list[Figure]:
    """The memory of one process that renders frames of 4K, and of nearly 8K, in GiB."""
    found = []
    for words, scale, floor in (("4K", 2.0, 1.2), ("8K", 4.0, None)):
        code = (
            "import sys; from pathlib import Path; from bench import delivery; "
            f"delivery.one_worker(Path({str(file)!r}), {scale}, {str(folder / words)!r})"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, check=True)
        found.append(Figure(f"delivery, memory of a worker at {words}", float(done.stdout), "GiB",
                            floor))  # fmt: skip
    return found


def one_worker(file: Path, scale: float, target: str) -> None:
    """Render three frames as a worker would, and print the most memory it took."""
    job = _job(file, "mp4", scale=scale)
    _render_range(job, 0, 3, f"{target}.mp4")
    # Of this program alone: getrusage would also tell what the one that started it took.
    (peak,) = re.findall(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())
    print(int(peak) / 2**20)


def _packing(folder: Path) -> Figure:
    """Packing pictures of 500 MB, each checked by hash, over putting them into a ZIP."""
    shot = scene.shot(2)
    rng = np.random.default_rng(1)
    size = PACKED // len(shot.pictures)
    pictures = {}
    for key in shot.pictures:
        path = folder / f"large-{key}.png"
        path.write_bytes(rng.bytes(size))
        pictures[key] = path
    named = shot.evolve(
        pictures={key: ref.evolve(file=str(pictures[key])) for key, ref in shot.pictures.items()}
    )

    def peer() -> None:
        target = folder / "peer.zip"
        target.unlink(missing_ok=True)
        if shutil.which("zip"):
            command = ["zip", "-0", "-q", "-j", target, *pictures.values()]
            subprocess.run(command, check=True)
            return
        with zipfile.ZipFile(target, "w") as archive:
            for path in pictures.values():
                archive.write(path, path.name)

    ratios = []
    for _ in range(3):
        began = time.perf_counter()
        peer()
        middle = time.perf_counter()
        pack_shot(named, folder / "packed.zip")
        ratios.append((time.perf_counter() - middle) / (middle - began))
    return Figure("delivery, packing 500 MB over zip -0", median(ratios), "x", 1.5)


def _listing(file: Path, folder: Path) -> Figure:
    """The page of all renders, with a thousand."""
    with private_servers() as (database, queue):
        settings = Settings(
            database_url=database, redis_url=queue, data=folder / "data", secret_key="bench"
        )
        _, sessions = connect(database)
        library = Library(FileStore(folder / "data"))
        with sessions.begin() as session:
            person = add_person(session, "keeper", "sallow-head-light")
            project = create_project(session, person.id, "Bench")
            row = import_shot_file(session, library, project.id, file, person.id)
            (one,) = renders.start_renders(session, row, Delivery())
            same = {name: getattr(one, name) for name in ("shot_id", "name", "document", "span",
                                                          "delivery", "frames")}  # fmt: skip
            session.add_all(RenderJob(**same, state=JobState.STOPPED) for _ in range(LISTED - 1))
        app = create_app(settings)
        app.config.update(TESTING=True, WTF_CSRF_ENABLED=False)
        client = app.test_client()
        page = client.get("/sign-in", base_url="https://localhost")
        assert page.status_code == 200
        form = {"name": "keeper", "password": "sallow-head-light"}
        client.post("/sign-in", data=form, base_url="https://localhost")
        times = []
        for _ in range(7):
            began = time.perf_counter()
            answer = client.get("/renders", base_url="https://localhost")
            times.append(1000 * (time.perf_counter() - began))
        assert len(re.findall("data-job=", answer.text)) == LISTED
    return Figure("delivery, a list of 1,000 renders", median(times), "ms", 200.0)
