"""Titles on their way over five full cards, over the same without them."""

from __future__ import annotations

import tempfile
from itertools import count
from pathlib import Path

from bench import scene
from bench.figures import Figure, interleaved
from vistaline.core.looks.lettering import Title
from vistaline.core.looks.passages import By, How, Passage
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import TitleShown
from vistaline.core.shot.stands import FreeCard
from vistaline.core.stage.drawn import Looks

__all__ = ["measure"]

ROUNDS = 11
LETTERS = 400


def measure() -> list[Figure]:
    """Return what a frame costs in which a title of 400 letters comes, in plain frames."""
    shot, pyramids = scene.shot(), scene.pyramids()
    with tempfile.TemporaryDirectory() as folder:
        store = PyramidStore(Path(folder))
        titled = _titled(shot)
        still = _titled(shot, still=True)
        runs = {
            name: _runs(Renderer(each, Looks(each, store, pyramids.__getitem__)))
            for name, each in (("plain", shot), ("still", still), ("coming", titled))
        }
        took = interleaved(runs, ROUNDS)
    return [
        Figure(
            f"{LETTERS} letters standing, plain frames in all", took["still"] / took["plain"], "x"
        ),
        Figure(
            f"{LETTERS} letters coming one by one, plain frames in all",
            took["coming"] / took["plain"],
            "x",
            1.6,
        ),
    ]


def _titled(shot: Shot, *, still: bool = False) -> Shot:
    line = "The lamp was lit at dusk and burned until the morning"
    text = "\n".join([line] * (LETTERS // len(line.replace(" ", "")) + 1))
    come = Passage(how=How.RISEN, by=By.LETTER, frames=48, overlap=0.9)
    shows = TitleShown(title=Title(text=text, size=0.028), arrives=None if still else come)
    title = Layer(name="Title", shows=shows, stands=FreeCard(), distance=0.9)
    return shot.evolve(layers=(*shot.layers, title))


def _runs(renderer: Renderer):  # type: ignore[no-untyped-def]
    frames = count()
    # Another frame each time: none is kept from the one before.
    return lambda _: renderer.yuv(18 + next(frames) % 12)
