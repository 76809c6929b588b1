"""A scan of a hundred megapixels: opened, cut and filled, each in a process of its own."""

from __future__ import annotations

import multiprocessing
import tempfile
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path

import cv2
import numpy as np
import skimage.data

from bench.figures import Figure, peak_memory, timed
from vistaline.actions.cuttings import Cuttings
from vistaline.actions.pictures import Library
from vistaline.core.picture.strokes import Stroke
from vistaline.core.separate.cutset import Cutout, CutSet, Guess
from vistaline.core.separate.separation import fill_hole
from vistaline.core.sheet.sheet import EVERYTHING, Sheet
from vistaline.store.files import FileStore

SIDE = 10_000
_MOST = 3.0
"""GiB a step may take."""


def measure() -> list[Figure]:
    """Return memory and CPU seconds of each step."""
    figures = []
    with tempfile.TemporaryDirectory() as folder:
        _draw(Path(folder) / "scan.jpg")
        for name, step in _STEPS.items():
            gib, seconds = _alone(step, folder)
            figures += [
                Figure(f"scan of 100 MP, {name}: memory", gib, "GiB", _MOST),
                Figure(f"scan of 100 MP, {name}", seconds, "CPU s"),
            ]
    return figures


def _draw(path: Path) -> None:
    photo = cv2.resize(skimage.data.astronaut(), (SIDE, SIDE), interpolation=cv2.INTER_CUBIC)
    grain = np.random.default_rng(1).normal(0, 4, (1000, 1000, 3))
    for y in range(0, SIDE, 1000):
        for x in range(0, SIDE, 1000):
            tile = photo[y : y + 1000, x : x + 1000]
            tile[:] = np.clip(tile + grain, 0, 255)
    cv2.imwrite(str(path), photo[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 92])


def _alone(step: Callable[[Path], None], folder: str) -> tuple[float, float]:
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    process = context.Process(target=_measured, args=(step, Path(folder), theirs))
    process.start()
    found = ours.recv()
    process.join()
    assert process.exitcode == 0
    return found  # type: ignore[no-any-return]


def _measured(step: Callable[[Path], None], folder: Path, told: Connection) -> None:
    with peak_memory() as peak:
        _, seconds = timed(lambda: step(folder))
    told.send((peak.gib, seconds))


def _library(folder: Path) -> Library:
    return Library(FileStore(folder / "store"))


def _file(folder: Path) -> str:
    return (folder / "file").read_text()


def _sheet() -> Sheet:
    def stroke(*points: tuple[float, float]) -> Stroke:
        return Stroke(points=points, width=250)

    guess = Guess(
        this=(stroke((4500, 2000), (4600, 3000)), stroke((3000, 7000), (6000, 8000))),
        not_this=(stroke((600, 600), (600, 3000)), stroke((8600, 600), (8600, 4000))),
    )
    cutout = Cutout(id="c1", name="A", steps=(guess,))
    return Sheet(size=(SIDE, SIDE), cutset=CutSet(cutouts=(cutout,)))


def _opened(folder: Path) -> None:
    library = _library(folder)
    with (folder / "scan.jpg").open("rb") as stream, library.files.receive(stream) as incoming:
        file = library.files.keep(incoming, "jpg")
    library.admit(file, "scan.jpg")
    library.preview(file)
    (folder / "file").write_text(file)


def _guessed(folder: Path) -> None:
    Cuttings(_library(folder)).masks(_file(folder), _sheet())


def _edged(folder: Path) -> None:
    Cuttings(_library(folder)).layer(_file(folder), _sheet(), 0)


def _filled(folder: Path) -> None:
    library = _library(folder)
    cuttings = Cuttings(library)
    _, hole = cuttings.hole(_file(folder), _sheet(), EVERYTHING)
    exact = cuttings.exact_codes(_file(folder))
    library.keep_codes(fill_hole(np.ascontiguousarray(exact[..., :3]), hole))


_STEPS = {
    "opened": _opened,
    "cut by strokes": _guessed,
    "its edge solved": _edged,
    "half of it filled by texture": _filled,
}
