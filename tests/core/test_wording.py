"""Titles by rows of tables, with boxes, in styles, along arcs and paths."""

from __future__ import annotations

import csv
import io

import numpy as np
import pytest
import skia

from tests.conftest import make_shot
from tests.core.test_mounts import do
from vistaline.core import edits
from vistaline.core.errors import CoreError
from vistaline.core.looks.bent import draw_bent
from vistaline.core.looks.lettering import Title, TitleBox, draw_title, extents
from vistaline.core.looks.passages import By
from vistaline.core.looks.pieces import sheet_of
from vistaline.core.looks.tables import column_of, read_table
from vistaline.core.looks.text_paths import places_along
from vistaline.core.shot.rows import Key
from vistaline.core.shot.shot import Shot

EM = 96.0


@pytest.fixture
def shot() -> Shot:
    shot = make_shot({"back": (640, 360)}, frame={"width": 320, "height": 180, "duration": 240})
    return do(shot, "add_title", text="One")


def test_tables_are_read_as_csv_writes_them() -> None:
    """RFC 4180, as Python's own module writes it."""
    rows = [["Ada", 'said "no"; then'], ["Bea", "two\nlines"], ["", "third, last"]]
    for mark in "\t;,":
        out = io.StringIO()
        csv.writer(out, delimiter=mark).writerows([*rows, ["", ""]])
        assert read_table(out.getvalue()) == rows
    assert column_of(rows, 2) == ['said "no"; then', "two\nlines", "third, last"]
    assert column_of(rows, 1) == ["Ada", "Bea"]


def test_a_title_says_the_rows_of_a_table_one_after_the_other(shot: Shot) -> None:
    values = {"layer": "one", "table": "a;x\nb;y\nc;z", "column": 2, "every": "2 s"}
    said = edits.apply(shot, "say_rows", values, at=12)
    (row,) = said.rows
    assert row.keys == (
        Key(frame=12, value="x"), Key(frame=60, value="y"), Key(frame=108, value="z")
    )  # fmt: skip


@pytest.mark.parametrize(
    ("values", "says"),
    [
        ({"table": " \n;;\n"}, "has no rows"),
        ({"table": "x\n" * 100_000}, "has 100,001 rows; 500 are the most"),
        ({"table": "x\n" * 600}, "has 600 rows"),
        ({"table": "a;b", "column": 3}, "there is no column 3"),
        ({"table": "a\nb\nc\nd\ne\nf\ng"}, "take 14 s from the playhead on"),
        ({"table": "x" * 3000}, "most 2,000 characters"),
    ],
)
def test_tables_that_cannot_be_said_are_refused(shot: Shot, values: dict, says: str) -> None:
    with pytest.raises(CoreError, match=says):
        do(shot, "say_rows", layer="one", **values)


def test_a_box_is_as_large_as_its_words_and_grows_with_them() -> None:
    box = TitleBox(colour="#ff0000", opacity=1.0, padding=0.5)
    small, large = (
        draw_title(Title(text=text, size=1.0, box=box), em=EM) for text in ("Light", "Lighthouse")
    )
    for picture, text in ((small, "Light"), (large, "Lighthouse")):
        assert (picture[..., 3] == 65535).all(), "it fills its card"
        assert (picture[2, 2] == (65535, 0, 0, 65535)).all()
        # As wide as the letters, and half an em on either side.
        plain = extents(Title(text=text, size=1.0))[0] - 0.24
        assert picture.shape[1] / EM == pytest.approx(plain + 1.0, abs=0.02)
    assert large.shape[1] > small.shape[1] * 1.5
    # In pieces, each takes what of the box is about it: together they are the title.
    sheet = sheet_of(Title(text="The light", size=1.0, box=box), By.WORD, large, EM)
    assert len(sheet.boxes) == 2


def test_letters_along_a_path_stand_where_skias_path_measure_has_it() -> None:
    path = ((-3.0, 0.0), (-1.0, 1.0), (1.0, 1.2), (3.0, 0.0))
    measured = skia.Path()
    measured.moveTo(*path[0])
    for point in path[1:]:
        measured.lineTo(*point)
    measure = skia.PathMeasure(measured, False)
    at = np.linspace(-0.45, 0.45, 13) * measure.getLength()
    places, _ = places_along(0.0, path, 5.0, at)
    for place, along in zip(places, at + measure.getLength() / 2, strict=True):
        found, _ = measure.getPosTan(float(along))
        np.testing.assert_allclose(place, (found.x(), found.y()), atol=1e-5)


def test_an_arc_is_as_long_as_the_text_is_wide() -> None:
    at = np.linspace(-2, 2, 4001)
    places, turned = places_along(90.0, (), 4.0, at)
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert steps.sum() == pytest.approx(4.0, rel=1e-6)
    assert np.degrees(turned[0] - turned[-1]) == pytest.approx(90)
    assert places[0, 1] < -0.5 and abs(places[2000, 1]) < 1e-9, "its ends are down"


def test_a_bent_title_has_all_of_its_ink() -> None:
    title = Title(text="Sallow Head light", size=1.0)
    straight = draw_title(title, em=EM)[..., 3].astype(float).sum()
    for bent in (title.evolve(bend=70), title.evolve(bend=-120),
                 title.evolve(path=((-5, 0), (-1, 1.5), (2, 0.5), (5, 1)))):  # fmt: skip
        picture = draw_bent(bent, em=EM)
        assert picture[..., 3].astype(float).sum() == pytest.approx(straight, rel=0.01)
        wide, tall = extents(bent)
        assert picture.shape[1] / picture.shape[0] == pytest.approx(wide / tall, rel=0.01)
        assert not picture[:2].any() and not picture[:, :2].any(), "nothing is cut off"


def test_styles_are_kept_put_on_and_followed(shot: Shot) -> None:
    shot = do(shot, "add_title", text="Two")
    shot = do(shot, "set_title", layer="one", weight=800, fill="#aa3300")
    shot = do(shot, "set_title_box", layer="one", padding=40)
    shot = do(shot, "keep_title_style", layer="one", name="Names")
    shot = do(shot, "put_title_style", layers=["two"], style="Names")
    two = shot.layer("two").title
    assert two and (two.text, two.weight, two.box and two.box.padding) == ("Two", 800, 0.4)
    shot = do(shot, "set_title", layer="two", spacing=10)
    shot = do(shot, "keep_title_style", layer="two", name="Names")
    assert shot.layer("one").title.spacing == pytest.approx(0.1)  # type: ignore[union-attr]
    shot = do(shot, "remove_title_style", name="Names")
    assert shot.title_styles == {} and shot.layer("one").title.style == ""  # type: ignore[union-attr]


def test_what_does_not_go_together_is_refused(shot: Shot) -> None:
    boxed = do(shot, "set_title_box", layer="one")
    coming = do(shot, "set_passage", layer="one", way="arrives", how="risen")
    for where, verb, values, says in (
        (boxed, "bend_title", {"bend": 40}, "has no box"),
        (coming, "bend_title", {"bend": 40}, "cannot come or go in pieces"),
        (shot, "bend_title", {"along": "back"}, "is no line"),
        (shot, "bend_title", {"bend": 900}, "end"),
        (shot, "put_title_style", {"layers": ["one"], "style": "x"}, "no title style 'x'"),
        (shot, "keep_title_style", {"name": " "}, "needs a name"),
        (shot, "set_title_box", {"padding": 900}, "adding"),
    ):
        given = values if "layers" in values else {"layer": "one"} | values
        with pytest.raises(CoreError, match=says):
            do(where, verb, **given)
