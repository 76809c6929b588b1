"""Pictures that sway: lengths kept, what is held stands, any moment by itself."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.conftest import make_shot, pyramid_of
from tests.core.test_mounts import do
from vistaline.core import edits
from vistaline.core.errors import EditError, ShotError
from vistaline.core.looks.swaying import HeldAt, Sway, SwayKind, room_of_sway, strength_at, swayed
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.looking import layer_looking
from vistaline.core.stage.tracks import track_of

TALL, WIDE = 400, 300


def painted(*boxes: tuple[int, int, int, int]) -> np.ndarray:
    picture = np.zeros((TALL, WIDE, 4), np.uint16)
    for x, y, wide, tall in boxes:
        picture[y : y + tall, x : x + wide] = 65535
    return picture


def middles(alpha: np.ndarray) -> np.ndarray:
    """Return where each row that has something has its middle: (x, y)."""
    weight = alpha.astype(float)
    rows = np.flatnonzero(weight.sum(axis=1) > 0.5 * 65535)
    x = np.arange(alpha.shape[1]) + 0.5
    return np.stack([(weight[rows] @ x) / weight[rows].sum(axis=1), rows + 0.5], axis=1)


@pytest.mark.parametrize("amount", [0.05, 0.25])
def test_a_stem_keeps_its_length_and_its_foot_and_is_an_arc(amount: float) -> None:
    stem = painted((148, 100, 4, 300))
    sway = Sway(amount=amount, uneven=0, travel=0)
    found = swayed(stem, sway, 0.75)  # a quarter of a swing: as far as it goes
    line = middles(found[..., 3])
    room = (found.shape[1] - WIDE) / 2
    assert line[-1] == pytest.approx([150 + room, 399.5], abs=0.6)
    # A stem of three quarters of the height, bent with a radius of height / (2 amount): its tip
    # by the geometry of circles.
    radius = TALL / (2 * amount)
    angle = 300 / radius
    tip = np.array([150 + room + radius * (1 - np.cos(angle)), TALL - radius * np.sin(angle)])
    assert line[0] == pytest.approx(tip, abs=1.0)
    away = np.hypot(line[:, 0] - (150 + room + radius), line[:, 1] - TALL)
    assert np.abs(away - radius).max() < 0.8
    length = np.hypot(*np.diff(line, axis=0).T).sum()
    assert length == pytest.approx(299, rel=0.01)


@pytest.mark.parametrize("held", [HeldAt.FOOT, HeldAt.HEAD, HeldAt.LEFT, HeldAt.RIGHT])
@pytest.mark.parametrize("kind", list(SwayKind))
def test_what_is_held_stands_and_nothing_is_cut_off(kind: SwayKind, held: HeldAt) -> None:
    whole = painted((0, 0, WIDE, TALL))
    sway = Sway(kind=kind, held=held, amount=0.2, uneven=0, travel=0, seconds=4, wave=0.7)
    for seconds in (0.0, 1.0, 2.3):
        alpha = swayed(whole, sway, seconds)[..., 3]
        top, left = ((a - b) // 2 for a, b in zip(alpha.shape, (TALL, WIDE), strict=True))
        if kind is not SwayKind.BREATHES:
            rim = alpha[:, [0, -1]] if left else alpha[[0, -1]]
            assert not rim[:, 2:-2].any() if not left else not rim[2:-2].any()
        edge = {
            HeldAt.FOOT: alpha[-top - 3, left + 8 : -left - 8 or None],
            HeldAt.HEAD: alpha[top + 2, left + 8 : -left - 8 or None],
            HeldAt.LEFT: alpha[top + 8 : -top - 8 or None, left + 2],
            HeldAt.RIGHT: alpha[top + 8 : -top - 8 or None, -left - 3],
        }[held]
        assert edge.min() == 65535


def test_a_ripple_is_a_wave_that_runs() -> None:
    line = painted((0, 196, WIDE, 8))
    sway = Sway(
        kind=SwayKind.RIPPLES, held=HeldAt.LEFT, amount=0.1, uneven=0, travel=0, seconds=2, wave=0.5
    )
    x = (np.arange(WIDE) + 0.5) / WIDE
    for seconds in (0.0, 0.3, 1.7):
        found = swayed(line, sway, seconds)[..., 3].astype(float)
        down = np.arange(found.shape[0]) + 0.5
        middle = (down @ found) / found.sum(axis=0) - found.shape[0] / 2
        wave = 0.1 * WIDE * x * np.sin(2 * np.pi * (x / 0.5 - seconds / 2))
        assert np.abs(middle - wave)[4:-4].max() < 0.5


def test_breathing_is_about_what_is_held() -> None:
    box = painted((100, 250, 100, 100))
    sway = Sway(kind=SwayKind.BREATHES, amount=0.1, uneven=0, travel=0, seconds=4, grows=0)
    found = swayed(box, sway, 1.0)[..., 3]
    rows, columns = (np.flatnonzero(found.max(axis=axis) > 32768) for axis in (1, 0))
    assert len(rows) == pytest.approx(110, abs=1) and len(columns) == pytest.approx(110, abs=1)
    # 150 to 50 pixels above the foot become 165 to 55.
    foot = found.shape[0] / 2 + TALL / 2
    assert foot - rows[0] == pytest.approx(165, abs=1)


def test_any_moment_by_itself_the_same_every_time_and_later_for_others() -> None:
    sway = Sway(uneven=1, seed=4)
    times = np.linspace(0, 60, 500)
    whole = strength_at(sway, times)
    assert np.abs(whole).max() < 1.31 and whole.std() > 0.3
    assert strength_at(sway, times[123]) == whole[123]
    assert (strength_at(sway.evolve(seed=5), times) != whole).any()
    stem = painted((140, 50, 20, 350))
    moved = swayed(stem, sway.evolve(delay=1.25), 3.0)
    assert (moved == swayed(stem, sway, 1.75)).all()
    assert (swayed(stem, sway.evolve(amount=0.0), 9.0) == stem).all()


def test_in_a_shot_keyed_together_and_refused() -> None:
    shot = make_shot(
        {"back": (640, 360), "a": (200, 300), "b": (200, 300)},
        frame={"width": 320, "height": 180, "duration": 48},
    )
    shot = do(shot, "move_layer", layer="b", across=1.0)
    shot = do(shot, "set_sway", layer="a", kind="ripples", held="foot", percent=4)
    shot = do(shot, "sway_together", layers=["b", "a"], travels=2)
    delays = [shot.layer(key).sway.delay for key in "ab"]  # type: ignore[union-attr]
    assert sorted(delays) == [0, 2] and shot.layer("b").sway.kind is SwayKind.RIPPLES  # type: ignore[union-attr]
    assert parse_shot(dump_shot(shot)) == shot
    keyed = edits.apply(shot, "set_sway", {"layer": "a", "percent": 0}, at=0, auto_key=True)
    keyed = edits.apply(keyed, "set_sway", {"layer": "a", "percent": 10}, at=40, auto_key=True)
    _, looking = layer_looking(keyed, keyed.layer("a"), 40)
    assert looking.sway and looking.sway.amount == pytest.approx(0.1)
    assert looking.sway.delay == pytest.approx(-40 / 24)
    assert len(set(track_of(keyed, keyed.layer("a"), range(48)).textures)) == 48
    with pytest.raises(EditError, match="shows no picture"):
        title = do(shot, "add_title")
        do(title, "set_sway", layer=title.layers[-1].id)
    document = dump_shot(shot)
    document["layers"][1] |= {
        "stands": {"kind": "plane", "projection": [0, 0, 9, 9], "width": 1, "height": 1}
    }  # type: ignore[index]
    with pytest.raises(ShotError, match="sways, so it must be a card that shows a picture"):
        parse_shot(document)


def test_it_stands_where_it_stood_and_its_pivot_stays() -> None:
    """Seen at the moment of no swing, a swaying layer is where it is without."""
    picture = painted((40, 40, 220, 360))
    shot = make_shot({"a": (WIDE, TALL)}, frame={"width": 320, "height": 180, "duration": 24})
    shot = do(shot, "set_pivot", layer="a", across=20, up=-50)
    shot = do(shot, "turn_layer", layer="a", roll=12)
    still = do(shot, "set_sway", layer="a", percent=8, uneven=0, travel=0)
    one, other = (
        Renderer(each, Looks(each, None, lambda _: pyramid_of(picture))).rgb(0).astype(int)  # type: ignore[arg-type]
        for each in (shot, still)
    )
    assert np.abs(one - other).mean() < 0.6


def test_what_is_painted_stands_still_and_the_rest_sways_as_before() -> None:
    """A line down the middle of reeds that bend: there nothing moves, a quarter beside it all."""
    rng = np.random.default_rng(7)
    codes = cv2.GaussianBlur(rng.random((200, 400, 3)).astype(np.float32), (0, 0), 2)
    picture = np.dstack([(codes * 60000).astype(np.uint16), np.full((200, 400), 65535, np.uint16)])
    sway = Sway(kind=SwayKind.RIPPLES, held=HeldAt.NOWHERE, amount=0.05, uneven=0)
    held = sway.evolve(pins=(((0.5, 0.0), (0.5, 1.0)),))
    room = round(room_of_sway(sway, 2.0)[0] * 400)
    loose, tied = (swayed(picture, each, 0.7).astype(int) for each in (sway, held))
    middle = np.s_[20:180, room + 196 : room + 204]
    own = picture[20:180, 196:204].astype(int)
    assert np.abs(tied[middle] - own).mean() < 0.1 * np.abs(loose[middle] - own).mean()
    beside = np.s_[20:180, room + 10 : room + 90]
    np.testing.assert_allclose(tied[beside], loose[beside], atol=400)
