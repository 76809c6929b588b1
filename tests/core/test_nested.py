"""A shot within a shot: which of its frames is seen when, and that it is that frame."""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tests.conftest import make_shot, pyramid_of
from tests.core.test_film import SIZE, shot_of, soft
from tests.core.test_mounts import do
from vistaline.core import edits
from vistaline.core.errors import CoreError
from vistaline.core.formats.filmfile import read_reel_file
from vistaline.core.formats.shotfile import write_shot_file
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.render.nested import NestedFrames
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.running import Held, NestedShot, Running, frames_seen
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.drawn import Looks

INNER = shot_of(24, truck=0.6)


@pytest.mark.parametrize(
    ("run", "expected"),
    [
        (Running(begins=3), [0, 0, 0, 0, 1, 2, 3, 4, 5, 5]),
        (Running(begins=-2), [2, 3, 4, 5, 5, 5, 5, 5, 5, 5]),
        (Running(first=2, ends=Held.LOOPED), [2, 3, 4, 5, 2, 3, 4, 5, 2, 3]),
        (Running(last=2, ends=Held.RETURNING), [0, 1, 2, 1, 0, 1, 2, 1, 0, 1]),
        (Running(pace=0.5, backwards=True), [5, 5, 4, 4, 3, 3, 2, 2, 1, 1]),
        (Running(seen=4), [4] * 10),
        (Running(first=9), [5] * 10),
    ],
)
def test_which_frame_is_seen(run: Running, expected: list[int]) -> None:
    seen = frames_seen(run, range(10), Fraction(24), frames=6, own_rate=Fraction(24))
    assert seen.tolist() == expected


def test_a_shot_of_another_rate_lasts_as_long() -> None:
    seen = frames_seen(Running(), range(0, 73, 24), Fraction(24), frames=200, own_rate=Fraction(25))
    assert seen.tolist() == [0, 25, 50, 75]


@pytest.fixture
def outer() -> Shot:
    """A still camera, and the other shot as a card that just fills its frame."""
    shot = make_shot(
        {"wall": (640, 360)},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 24},
        route={"framings": [{"frame": 0, "lens": 36}]},
    )
    nested = NestedShot(
        file="inner.json", name="Inner", width=320, height=180, frames=24, document=dump_shot(INNER)
    )
    shot = do(shot, "add_nested", nested=nested)
    layer = next(each for each in shot.layers if each.nested)
    # A gate 36 mm wide behind a lens of 36 mm: a metre wide a metre away.
    shot = do(shot, "move_in_depth", layer=layer.id, distance=1, keep="size")
    return do(shot, "size_card", layer=layer.id, width=1)


def rendered(shot: Shot, frame: int, picture: np.ndarray, folder: Path) -> np.ndarray:
    pyramid = pyramid_of(picture)

    def looks_of(each: Shot) -> Looks:
        return Looks(each, PyramidStore(folder), lambda _: pyramid, NestedFrames(looks_of))

    return Renderer(shot, looks_of(shot)).rgb(frame)


def test_it_is_the_other_shots_frame(outer: Shot, rng: np.random.Generator, tmp_path: Path) -> None:
    picture = soft(rng, (640, 360))
    alone = Renderer(INNER, {"back": pyramid_of(picture)})
    layer = next(each.id for each in outer.layers if each.nested)
    for frame in (0, 9, 23):
        found = rendered(outer, frame, picture, tmp_path)[4:-4, 4:-4].astype(int)
        assert np.abs(found - alone.rgb(frame)[4:-4, 4:-4]).mean() < 1.0
    back = do(outer, "set_running", layer=layer, backwards=True, first=4, last="20 f")
    found = rendered(back, 5, picture, tmp_path)[4:-4, 4:-4].astype(int)
    assert np.abs(found - alone.rgb(15)[4:-4, 4:-4]).mean() < 1.0
    # In a layout with a crop it runs on.
    laid = edits.apply(outer, "lay_out", {"layers": [layer], "kind": "part"}, at=0)
    laid = do(laid, "set_crop", layer=layer, zoom=200)
    assert rendered(laid, 12, picture, tmp_path).shape == (180, 320, 3)


def test_a_shot_file_names_the_shots_it_shows(
    outer: Shot, rng: np.random.Generator, tmp_path: Path
) -> None:
    Image.fromarray(rng.integers(0, 255, (360, 640, 3), dtype=np.uint8)).save(tmp_path / "p.png")
    write_shot_file(INNER, tmp_path / "inner.json", {"back": "p.png"})
    named = outer.evolve(shots={key: ref.evolve(document=None) for key, ref in outer.shots.items()})
    write_shot_file(named, tmp_path / "outer.json", {"wall": "p.png"})
    read = read_reel_file(tmp_path / "outer.json")
    assert isinstance(read, Shot)
    (ref,) = read.shots.values()
    assert ref.document and parse_shot(ref.document).duration == 24
    # One that shows itself is refused.
    document = json.loads((tmp_path / "outer.json").read_text())
    document["shots"][next(iter(document["shots"]))]["file"] = "outer.json"
    (tmp_path / "outer.json").write_text(json.dumps(document))
    with pytest.raises(CoreError, match="or one shows itself"):
        read_reel_file(tmp_path / "outer.json")


def test_what_makes_no_sense_is_refused(outer: Shot) -> None:
    layer = next(each.id for each in outer.layers if each.nested)
    for values, says in (
        ({"first": 24}, "Inner has frames 0 to 23"),
        ({"last": -1}, "Inner has frames 0 to 23"),
        ({"first": 9, "last": 3}, "before its first, 9"),
        ({"percent": 0}, "ercent"),
    ):
        with pytest.raises(CoreError, match=says):
            do(outer, "set_running", layer=layer, **values)
    with pytest.raises(CoreError, match="has no frames of its own"):
        do(outer, "set_running", layer="wall", first=1)
    gone = do(outer, "remove_layer", layer=layer)
    assert gone.shots == {}
