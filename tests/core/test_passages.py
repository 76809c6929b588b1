"""Titles that come and go in pieces: what they are cut into, what each does, and when."""

from __future__ import annotations

import io
from fractions import Fraction
from typing import Any

import numpy as np
import pytest
import uharfbuzz
from fontTools.ttLib import TTFont
from timecode import Timecode

from tests.conftest import make_shot, pyramid_of
from tests.core.test_mounts import do
from tests.core.test_render import flat
from vistaline.core import edits
from vistaline.core.easing import parse_ease
from vistaline.core.errors import CoreError
from vistaline.core.looks.counts import Count, counted
from vistaline.core.looks.lettering import Title, draw_title, lines_of
from vistaline.core.looks.passages import By, How, Order, Passage, moves_at, ranks_of, reading_time
from vistaline.core.looks.pieces import lay_pieces, middles_of, sheet_of
from vistaline.core.looks.typefaces import FACES, PACKAGES
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.scene.describe import describe_scene
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.shot.shows import TitleShown
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.looking import layer_looking
from vistaline.core.stage.tracks import track_of

TITLES = (
    (Title(text="AVATAR fjord\nWilly, Ty"), By.LETTER, 19),
    (Title(text="AVATAR fjord\nWilly, Ty", outline="#102030", face="playfair"), By.LETTER, 19),
    (Title(text="By night, by day", spacing=0.2, align="left"), By.WORD, 4),
    (Title(text="منارة الرأس القديمة", face="amiri"), By.LETTER, 3),
    (Title(text="one\n\ntwo", align="right"), By.LINE, 2),
)


@pytest.mark.parametrize(("title", "by", "count"), TITLES)
def test_all_pieces_in_their_places_are_the_title(title: Title, by: By, count: int) -> None:
    """Pixel for pixel; letters that join stay words."""
    picture = draw_title(title, em=64)
    sheet = sheet_of(title, by, picture, 64)
    assert len(sheet.boxes) == len(middles_of(title, by)) == count
    assert (sheet.boxes[:, 2] > 0).all()
    there = moves_at(Passage(by=by), middles_of(title, by), 0, 99, goes=False)
    whole = np.zeros((picture.shape[0] + 10, picture.shape[1] + 6, 4), np.uint16)
    lay_pieces(sheet, there, (3, 5), whole)
    assert (whole[5:-5, 3:-3] == picture).all()
    assert not whole[:5].any() and not whole[:, :3].any()
    # From the right, where it is read so.
    across = sheet.places[:, 0]
    if title.face == "amiri":
        assert (np.diff(across) < 0).all()


@pytest.mark.parametrize("face", ["source-sans", "playfair", "courier"])
def test_letters_stand_where_harfbuzz_puts_them(face: str) -> None:
    text = "AVATAR Wolves"
    (line,) = lines_of(Title(text=text, face=face, weight=400))
    file = FACES[face].files[min(FACES[face].files, key=lambda each: abs(each - 400))][0]
    plain = io.BytesIO()
    opened = TTFont(PACKAGES / file)
    opened.flavor = None  # HarfBuzz reads no WOFF2
    opened.save(plain)
    font = uharfbuzz.Font(uharfbuzz.Face(plain.getvalue()))
    if FACES[face].variable:
        font.set_variations({"wght": 400})
    buffer = uharfbuzz.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    uharfbuzz.shape(font, buffer, {"kern": True, "liga": True})
    ends = np.cumsum([each.x_advance for each in buffer.glyph_positions]) / font.face.upem
    assert [each.right for each in line] == pytest.approx(ends.tolist(), abs=0.012)


def test_pieces_are_timed_by_order_overlap_and_ease() -> None:
    """Four words in 40 frames; eases are CSS's (``test_easing.py``)."""
    middles = np.array([-1.5, -0.5, 0.5, 1.5])
    one_by_one = Passage(frames=40, overlap=0, ease="linear", how=How.FADED)
    assert moves_at(one_by_one, middles, 10, 35, goes=False).alpha == pytest.approx([1, 1, 0.5, 0])
    together = one_by_one.evolve(overlap=1.0)
    assert moves_at(together, middles, 10, 30, goes=False).alpha == pytest.approx([0.5] * 4)
    half = one_by_one.evolve(overlap=0.5)  # each takes 16, and begins 8 after the one before
    assert moves_at(half, middles, 10, 30, goes=False).alpha == pytest.approx([1, 0.75, 0.25, 0])
    assert moves_at(half, middles, 10, 30, goes=True).alpha == pytest.approx([0, 0.25, 0.75, 1])
    risen = one_by_one.evolve(how=How.RISEN, ease="ease-out", overlap=1.0, distance=2)
    expected = -2 * (1 - float(parse_ease("ease-out")(0.25)))
    assert moves_at(risen, middles, 0, 10, goes=False).up == pytest.approx([expected] * 4)
    tracked = one_by_one.evolve(how=How.TRACKED, overlap=1.0, distance=1)
    assert moves_at(tracked, middles, 0, 20, goes=False).right == pytest.approx(middles / 2)
    typed = one_by_one.evolve(how=How.TYPED)
    assert moves_at(typed, middles, 0, 11, goes=False).alpha.tolist() == [1, 1, 0, 0]
    for passage in (one_by_one, half, together, risen, typed):
        for how in How:
            done = moves_at(passage.evolve(how=how), middles, 0, 40, goes=False)
            assert all((each == [0]).all() for each in (done.right, done.up, done.turn, done.blur))
            assert all((each == [1]).all() for each in (done.scale, done.alpha, done.shown))


def test_orders_are_as_they_say() -> None:
    """Random ones: NumPy's PCG64, as published, of the seed."""
    assert ranks_of(Passage(), 5).tolist() == [0, 0.25, 0.5, 0.75, 1]
    assert ranks_of(Passage(order=Order.BACKWARD), 3).tolist() == [1, 0.5, 0]
    assert ranks_of(Passage(order=Order.MIDDLE), 5).tolist() == [1, 0.5, 0, 0.5, 1]
    assert ranks_of(Passage(order=Order.MIDDLE), 4).tolist() == [1, 0, 0, 1]
    known = np.random.Generator(np.random.PCG64(7)).permutation(6) / 5
    assert ranks_of(Passage(order=Order.RANDOM, seed=7), 6).tolist() == known.tolist()
    for count in (0, 1):
        assert ranks_of(Passage(order=Order.MIDDLE), count).tolist() == [0] * count
    assert reading_time("one") == 1 and reading_time("word " * 90) == pytest.approx(30)


def titled(tmp_path: Any, **passages: Passage) -> tuple[Shot, Looks]:
    """A grey wall and a title before it."""
    shot = make_shot(
        {"wall": (320, 180)},
        frame={"width": 320, "height": 180, "duration": 60},
        layers=[{"name": "wall", "picture": "wall", "distance": 4.0, "scale": 1.2}],
    )
    shot = do(shot, "add_title", text="Sallow Head")
    title = shot.layers[-1]
    assert isinstance(title.shows, TitleShown)
    shows = title.shows.evolve(**passages)
    shot = shot.evolve(layers=(shot.layers[0], title.evolve(shows=shows)))
    wall = pyramid_of(flat((0.1, 0.1, 0.1), 1, (320, 180)))
    return shot, Looks(shot, PyramidStore(tmp_path), lambda _: wall)


def test_a_title_comes_is_there_and_goes(tmp_path: Any) -> None:
    come = Passage(start=10, frames=20, how=How.RISEN, by=By.LETTER)
    go = Passage(start=40, frames=10, how=How.FADED, by=By.WORD, order=Order.BACKWARD)
    shot, looks = titled(tmp_path, arrives=come, leaves=go)
    plain, _ = titled(tmp_path)
    bare = plain.evolve(layers=plain.layers[:1])
    renderer, whole = Renderer(shot, looks, threads=1), Renderer(plain, looks, threads=1)
    nothing = Renderer(bare, looks, threads=1)
    for frame in (0, 10, 50, 59):
        assert (renderer.rgb(frame) == nothing.rgb(frame)).all(), frame
    for frame in (30, 35, 39):
        assert (renderer.rgb(frame) == whole.rgb(frame)).all(), frame
    light = [int(renderer.linear(f)[..., 0].sum(dtype=np.int64)) for f in (12, 17, 22, 30, 44, 48)]
    assert light[0] < light[1] < light[2] < light[3] > light[4] > light[5]
    # Backwards the last word goes first: the first is there alone, as bright as it was.
    words = whole.rgb(42) != nothing.rgb(42)
    first = words.any(axis=(0, 2)).nonzero()[0][:20]
    assert (renderer.rgb(42)[:, first] == whole.rgb(42)[:, first]).all()
    # In any order of rendering, and out of its file, it is the same.
    again = Renderer(parse_shot(dump_shot(shot)), looks, threads=1)
    assert (again.rgb(17) == renderer.rgb(17)).all()
    # What the page is told is what is rendered: as many pieces, at the same frames.
    scene = describe_scene(shot, range(60))
    names = [name for _, name in scene["tracks"][shot.layers[-1].id]["looks"]]
    assert [name for name in names if name.startswith("passing ")] == list(scene["passing"])
    assert len(scene["passing"]) == 30
    assert next(iter(scene["passing"].values()))["sheet"].startswith("pieces letter ")


def test_it_is_timed_with_the_route(tmp_path: Any) -> None:
    come = Passage(framing=1, start=3, frames=10)
    shot, _ = titled(tmp_path, arrives=come)
    title = shot.layers[-1].id
    shot = do(shot, "time_framing", framing=1, frame=30)

    def seen(of: Shot) -> list[int]:
        opacity = track_of(of, of.layer(title), range(of.frame.duration)).opacity
        return np.flatnonzero(opacity).tolist()[:1]

    assert seen(shot) == [33]
    assert seen(do(shot, "time_framing", framing=1, frame=20)) == [23]
    early, _ = titled(tmp_path, arrives=Passage(start=5, frames=10))
    early = do(early, "time_framing", framing=1, frame=59)
    slower = do(early, "stretch_route", duration=119)
    told = slower.layer(title).arrives
    assert told and (told.start, told.frames) == (10, 20)
    shot = do(shot, "time_framing", framing=1, frame=30)
    fixed = do(shot, "set_passage", layer=title, way="arrives", framing="-")
    assert seen(fixed) == [33] and fixed.layer(title).arrives.framing is None  # type: ignore[union-attr]
    back = do(fixed, "reverse_route", whole=True).layer(title)
    assert back.arrives is None and back.leaves
    # It came in frames 33 to 43 of 60.
    assert (back.leaves.start, back.leaves.frames) == (16, 10)


def test_what_cannot_be_is_refused_in_a_sentence(tmp_path: Any) -> None:
    shot, _ = titled(tmp_path)
    title, wall = shot.layers[-1].id, shot.layers[0].id
    here = do(shot, "set_passage", layer=title, way="arrives", how="dropped", frames=50)
    for values, says in (
        ({"layer": wall, "how": "faded"}, "is no title"),
        ({"layer": title, "overlap": 150}, "overlap"),
        ({"layer": title, "frames": 0}, "frames"),
        ({"layer": title, "ease": "bouncy"}, "no ease called 'bouncy'"),
        ({"layer": title, "framing": "9"}, "no such framing"),
        ({"layer": title, "start": 20, "way": "leaves"}, "before it has come"),
        ({"layer": title, "distance": 900}, "distance"),
    ):
        with pytest.raises(CoreError, match=says):
            edits.apply(here, "set_passage", {"way": "arrives"} | values)
    gone = do(here, "set_passage", layer=title, way="arrives", how="none")
    assert gone == shot
    with pytest.raises(CoreError, match="needs some text"):
        do(here, "set_title", layer=title, text=" ")
    with pytest.raises(CoreError, match="at most 2,000"):
        do(here, "set_title", layer=title, text="x" * 10_000)


# --- numbers that count -----------------------------------------------------------------------


@pytest.mark.parametrize("value", [0, 7, 999.95, 1234567.891, -1234.5])
def test_numbers_are_written_as_python_formats_them(value: float) -> None:
    for decimals in (0, 1, 3):
        still = Count(first=value, last=value, decimals=decimals)
        plain = format(value, f",.{decimals}f")
        assert counted("#", still, 0, Fraction(24)) == plain
        assert counted("# m", still.evolve(marks="none"), 0, Fraction(24)) == (
            format(value, f".{decimals}f") + " m"
        )
        swapped = plain.replace(",", " ").replace(".", ",").replace(" ", ".")
        assert counted("in", still.evolve(marks="point"), 0, Fraction(24)) == f"in {swapped}"
    assert counted("#", Count(first=-0.2, last=-0.2), 0, Fraction(24)) == "0"


def test_a_count_goes_by_its_ease_and_as_time_codes_do() -> None:
    """Time codes against the package ``timecode`` (SMPTE ST 12-1)."""
    count = Count(first=1887, last=1931, start=10, frames=44, ease="linear", marks="none")
    years = [int(counted("#", count, frame, Fraction(24))) for frame in (0, 10, 21, 54, 90)]
    assert years == [1887, 1887, 1898, 1931, 1931]
    code = Count(first=0, last=2000, frames=2000, ease="linear", timecode=True)
    for rate, name in ((Fraction(24), "24"), (Fraction(30000, 1001), "29.97")):
        for frame in (0, 59, 1799, 1800):
            known = str(Timecode(name, frames=frame + 1))
            assert counted("#", code, frame, rate) == known


def test_a_title_counts_in_renders_and_with_the_shot(tmp_path: Any) -> None:
    shot, _ = titled(tmp_path)
    title = shot.layers[-1].id
    shot = do(shot, "set_title", layer=title, text="# lamps")
    shot = do(shot, "set_count", layer=title, counts=True, last=3, frames=30, ease="linear")
    names = track_of(shot, shot.layer(title), range(60)).textures
    # Another look where the number changes, and none else: 0, 1, 2, 3.
    assert len(set(names)) == 4 and names[0] != names[10] != names[20] != names[29]
    _, told = layer_looking(shot, shot.layer(title), 29)
    assert told.title and told.title.text == "3 lamps"
    wall = pyramid_of(flat((0.1, 0.1, 0.1), 1, (320, 180)))
    looks = Looks(shot, PyramidStore(tmp_path), lambda _: wall)
    renderer = Renderer(shot, looks, threads=1)
    assert (renderer.rgb(0) != renderer.rgb(15)).any()
    assert (renderer.rgb(40) == renderer.rgb(50)).all()
    off = do(shot, "set_count", layer=title, counts=False)
    assert off.layer(title).counts is None
    with pytest.raises(CoreError, match="is no title"):
        do(shot, "set_count", layer=shot.layers[0].id, counts=True)
    with pytest.raises(CoreError, match="decimals"):
        do(shot, "set_count", layer=title, decimals=9)


def test_what_a_number_may_say_can_be_set_before_it_is_kept(tmp_path: Any) -> None:
    """A saved title can be drawn at every frame: it is refused at once, in a sentence, else."""
    shot, _ = titled(tmp_path)
    title = shot.layers[-1].id
    counts = do(shot, "set_count", layer=title, counts=True)
    with pytest.raises(CoreError, match="at most 2,000"):
        do(counts, "set_title", layer=title, text="#" * 400)
    assert do(shot, "set_title", layer=title, text="#" * 400).layer(title).title
