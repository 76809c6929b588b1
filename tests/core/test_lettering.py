"""Titles: how they are set, and what stands on the stage of them."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from tests.core.test_edit import seen
from vistaline.core import edits
from vistaline.core.errors import EditError, ShotError
from vistaline.core.looks.lettering import Title, draw_title, extents
from vistaline.core.looks.typefaces import FACES, PACKAGES, fonts_of, open_type, runs_of, shelve
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.drawn import drawing_of
from vistaline.core.stage.evaluate import evaluate


@pytest.fixture
def titled(shot: Shot) -> Shot:
    return edits.apply(shot, "add_title", {"text": "Lamp"})


def covered(title: Title, em: float = 64) -> np.ndarray:
    return draw_title(title, em=em)[..., 3] / 65535


def test_lines_letters_and_sides() -> None:
    one = Title(text="Lamp", size=1)
    width, height = extents(one)
    assert extents(one.evolve(size=2)) == pytest.approx((2 * width, 2 * height))
    apart = extents(one.evolve(spacing=0.5))[0]
    assert apart - width == pytest.approx(3 * 0.5, abs=0.06)  # less kerning between letters
    two = one.evolve(text="Lamp\nroom", line_spacing=1.5)
    assert extents(two)[1] - height == pytest.approx(1.5)
    short = Title(text="Lighthouse\nlog", size=1)
    columns = {
        align: np.flatnonzero(covered(short.evolve(align=align))[-60:].any(axis=0)).mean()
        for align in ("left", "centre", "right")
    }
    assert columns["left"] < columns["centre"] - 20 < columns["right"] - 40


def test_a_title_is_as_sharp_as_asked_and_the_same_at_every_size() -> None:
    small, large = covered(Title(text="Log"), 40), covered(Title(text="Log"), 160)
    assert large.shape[0] == pytest.approx(4 * small.shape[0], abs=3)
    assert large.mean() == pytest.approx(small.mean(), rel=0.03)


def test_an_outline_lies_round_the_letters() -> None:
    plain = Title(text="O", face="bebas", outline="#000000", outline_width=0.05)
    both, ring = covered(plain, 200), covered(plain.evolve(fill=None), 200)
    letters = covered(Title(text="O", face="bebas"), 200)
    assert both.shape == ring.shape
    grown = both.sum() - ring.sum()
    assert grown == pytest.approx(letters.sum(), rel=0.02)
    assert ring.sum() > 0.2 * letters.sum()


def test_arabic_runs_from_the_right_and_joins() -> None:
    """Joined letters are not what they are one by one: the word is shorter than its letters."""
    word = "منارة"
    letters = sum(extents(Title(text=letter, face="amiri", size=1))[0] - 0.24 for letter in word)
    assert extents(Title(text=word, face="amiri", size=1))[0] - 0.24 < 0.9 * letters
    # From the right: what is written first stands at the right, as it does alone.
    alone, both = (
        covered(Title(text=text, face="amiri", align="right")) for text in ("ب", "ب ااا")
    )
    right = alone.shape[1] - 4
    assert np.abs(both[:, -right:] - alone[:, -right:]).mean() < 0.03
    assert both[:, :-right].sum() > 0.5 * alone.sum()


def test_signs_beyond_western_european_come_from_the_faces_other_file() -> None:
    """The package says which signs its files have; as long as its parts in the two files."""
    polish = Title(text="Zażółć gęślą", face="source-sans", size=1)
    assert covered(polish).sum() > 0
    fonts = fonts_of("source-sans", 600, 256)
    runs = runs_of("source-sans", fonts, polish.text)
    assert "".join(run for run, _ in runs) == polish.text and {font for _, font in runs} == {0, 1}
    about = PACKAGES / "@fontsource-variable/source-sans-3/unicode.json"
    published = json.loads(about.read_text())
    ranges = [
        [[int(end, 16) for end in part[2:].split("-")] for part in published[key].split(",")]
        for key in ("latin", "latin-ext")
    ]
    for run, font in runs:
        for letter in run.replace(" ", ""):
            within = [any(e[0] <= ord(letter) <= e[-1] for e in each) for each in ranges]
            assert any(within) and (font == 0 or not within[0]), letter
    lengths = sum(fonts[font].getlength(run) / 256 for run, font in runs)
    assert extents(polish)[0] - 0.24 == pytest.approx(lengths)


def test_type_that_was_brought_in_is_used_and_stood_in_for_when_gone(tmp_path: Path) -> None:
    name = "0123456789abcdef"
    source = PACKAGES / FACES["bebas"].files[400][0]
    path = tmp_path / f"{name}.woff2"
    path.write_bytes(source.read_bytes())
    assert open_type(path, "bebas.woff2").startswith("Bebas Neue")
    shelve(tmp_path)
    own = Title(text="Lamp", face=f"own-{name}")
    assert extents(own) == pytest.approx(extents(Title(text="Lamp", face="bebas")))
    gone = Title(text="Lamp", face="own-fedcba9876543210")
    assert extents(gone) == extents(Title(text="Lamp"))
    (tmp_path / "notes.ttf").write_bytes(b"not type at all" * 50)
    with pytest.raises(ShotError, match=r"notes\.ttf is not a font"):
        open_type(tmp_path / "notes.ttf", "notes.ttf")


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"text": "   "}, "needs some text"),
        ({"text": "x" * 10_000}, "at most 2,000 characters"),
        ({"text": "灯台"}, "no sign for “灯”"),
        ({"face": "comic"}, "no type called"),
        ({"size": 0}, "greater than 0"),
    ],
)
def test_what_cannot_be_set_is_refused(titled: Shot, values: dict, words: str) -> None:
    layer = titled.layers[-1].id
    with pytest.raises(EditError, match=words):
        edits.apply(titled, "set_title", {"layer": layer, **values})


def test_a_pair_stands_behind_and_in_front_in_register(titled: Shot) -> None:
    title = titled.layers[-1].id
    paired = edits.apply(titled, "pair_title", {"layer": title, "around": "front"})
    outline = paired.layers[-1]
    order = [state.cards[i].layer.id for state in evaluate(paired, [0]) for i in state.order]
    assert order.index(title) < order.index("front") < order.index(outline.id)
    assert paired.layer(title).title.outline is None and outline.title.fill is None
    middles = [seen(paired, key).mean(axis=0) for key in (title, outline.id)]
    np.testing.assert_allclose(middles[0], middles[1], atol=1e-6)
    ems = [paired.layer(key).scale / paired.layer(key).distance for key in (title, outline.id)]
    assert ems[0] == pytest.approx(ems[1])


def test_a_title_is_drawn_for_the_closest_framing(titled: Shot) -> None:
    title = titled.layers[-1]
    before = drawing_of(titled, title)
    closer = edits.apply(
        titled, "set_framing", {"framing": 1, "forward": title.distance * 0.9, "across": 0}
    )
    after = drawing_of(closer, title)
    assert before and after and after.name != before.name
    assert after.draw({}).shape[0] > 4 * before.draw({}).shape[0]
