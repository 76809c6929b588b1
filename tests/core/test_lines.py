"""Drawn lines against skia: their lengths, dashes, the pen; drawn on, and round layers."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
import skia

from tests.conftest import make_shot, pyramid_of
from tests.core.test_mounts import do
from tests.core.test_render import flat
from vistaline.core import edits
from vistaline.core.errors import CoreError
from vistaline.core.looks.lines import (
    Line,
    LineShape,
    draw_line,
    line_extents,
    path_of,
    stretches_of,
)
from vistaline.core.picture.pyramid import PyramidStore
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.camera import camera_states
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.tracks import track_of

FINE = 400.0
POINTS = ((-0.5, -0.3), (-0.2, 0.4), (0.1, -0.2), (0.5, 0.3))


def length(paths: list[np.ndarray]) -> float:
    return sum(float(np.linalg.norm(np.diff(each[:, :2], axis=0), axis=1).sum()) for each in paths)


def skias(line: Line) -> skia.Path:
    """The same path, of skia's own shapes, in metres."""
    path = skia.Path()
    box = skia.Rect.MakeXYWH(-line.width / 2, -line.height / 2, line.width, line.height)
    if line.shape is LineShape.ELLIPSE:
        path.addOval(box, skia.PathDirection.kCW, 0)
    elif line.shape is LineShape.RECTANGLE and line.corner:
        radius = line.corner * min(line.width, line.height) / 2
        path.addRoundRect(box, radius, radius)
    elif line.shape is LineShape.RECTANGLE:
        path.addRect(box)
    else:
        for n, (x, y) in enumerate(path_of(line)[0].tolist()):
            (path.lineTo if n else path.moveTo)(x, -y)
    return path


LINES = (
    Line(shape=LineShape.RECTANGLE),
    Line(shape=LineShape.RECTANGLE, corner=0.4),
    Line(shape=LineShape.ELLIPSE, width=0.7, height=0.3),
    Line(shape=LineShape.OUTLINE, points=((-0.5, -0.5), (0.5, -0.4), (0.0, 0.5))),
)


@pytest.mark.parametrize("line", LINES)
def test_a_line_is_as_long_as_skia_measures_it(line: Line) -> None:
    # In millimetres: skia measures to a share of a unit.
    path = skias(line)
    path.transform(skia.Matrix.Scale(1000, 1000))
    whole = skia.PathMeasure(path, False, 10.0).getLength() / 1000
    assert length(path_of(line)) == pytest.approx(whole, rel=1e-3)
    for begin, end in ((0.0, 0.25), (0.3, 0.9)):
        part = length(stretches_of(line.evolve(begin=begin, end=end)))
        assert part == pytest.approx((end - begin) * whole, rel=1e-3)


def stroked(line: Line, path: skia.Path, **paint: Any) -> np.ndarray:
    """What skia strokes of a path (height, width), 0..1, as large as we draw it."""
    wide, tall = line_extents(line)
    size = round(wide * FINE), round(tall * FINE)
    surface = skia.Surface(*size)
    canvas = surface.getCanvas()
    canvas.translate(size[0] / 2, size[1] / 2)
    canvas.scale(FINE, FINE)
    canvas.drawPath(
        path,
        skia.Paint(
            AntiAlias=True,
            Style=skia.Paint.kStroke_Style,
            StrokeWidth=line.weight,
            StrokeJoin=skia.Paint.kRound_Join,
            StrokeCap=skia.Paint.kButt_Cap if line.blunt else skia.Paint.kRound_Cap,
            **paint,
        ),
    )
    return surface.toarray()[..., 3] / 255


@pytest.mark.parametrize("blunt", [False, True])
@pytest.mark.parametrize(
    "line", [*LINES, Line(shape=LineShape.STROKE, points=POINTS), Line(shape=LineShape.BRACKET)]
)
def test_the_pen_covers_what_skia_strokes(line: Line, blunt: bool) -> None:
    line = line.evolve(weight=0.02, blunt=blunt)
    found = draw_line(line, fine=FINE)[..., 3] / 65535
    expected = stroked(line, skias(line))
    assert np.abs(found - expected).mean() < 0.004
    assert found.sum() == pytest.approx(expected.sum(), rel=0.02)


def test_dashes_are_skias_and_stand_still_as_a_line_is_drawn_on() -> None:
    line = Line(shape=LineShape.STROKE, points=POINTS, dash=0.05, gap=0.03, blunt=True)
    effect = skia.DashPathEffect.Make([0.05, 0.03], 0)
    found = draw_line(line, fine=FINE)[..., 3] / 65535
    expected = stroked(line, skias(line), PathEffect=effect)
    assert np.abs(found - expected).mean() < 0.004
    half = draw_line(line.evolve(end=0.5), fine=FINE)[..., 3] / 65535
    # All that is there then is there in the end.
    assert (half <= found + 1e-6).mean() > 0.999 and half.sum() < 0.6 * found.sum()
    # A closed one goes round: as much of it is drawn, elsewhere.
    oval = Line(shape=LineShape.ELLIPSE, begin=0.1, end=0.4)
    turned = [stretches_of(oval.evolve(offset=each)) for each in (0, 0.8, -1.3)]
    assert [length(each) for each in turned] == pytest.approx([length(turned[0])] * 3)


def test_nothing_is_drawn_of_no_length_and_the_pen_grows_thin() -> None:
    for shape in (LineShape.RECTANGLE, LineShape.ARROW, LineShape.UNDERLINE):
        for at in (0.0, 0.37, 1.0):
            none = Line(shape=shape, begin=at, end=at)
            assert not draw_line(none, fine=FINE).any()
    thin = stretches_of(Line(shape=LineShape.ARROW, taper=1.0))
    assert thin[0][0, 2] == pytest.approx(0.012) and thin[-1][-1, 2] == pytest.approx(0, abs=1e-9)
    rough = Line(rough=0.8, seed=3)
    assert (draw_line(rough, fine=FINE) == draw_line(rough, fine=FINE)).all()
    assert (draw_line(rough, fine=FINE) != draw_line(rough.evolve(seed=4), fine=FINE)).any()
    # As uneven as can be, it stays on its card.
    cover = draw_line(Line(rough=1, seed=5, shape=LineShape.ELLIPSE), fine=FINE)[..., 3]
    assert not (cover[0].any() or cover[-1].any() or cover[:, 0].any() or cover[:, -1].any())


def lined(tmp_path: Any) -> tuple[Shot, Looks]:
    shot = make_shot(
        {"wall": (320, 180), "print": (60, 40)},
        frame={"width": 320, "height": 180, "duration": 48},
        layers=[
            {"name": "wall", "picture": "wall", "distance": 4.0, "scale": 1.2},
            {"name": "print", "picture": "print", "distance": 2.0,
             "stands": {"kind": "card", "width": 0.5}},
        ],
    )  # fmt: skip
    shot = do(shot, "line_round", layer="print")
    pictures = {
        "wall": pyramid_of(flat((0, 0, 0), 1, (320, 180))),
        "print": pyramid_of(flat((0, 0, 0), 1, (60, 40))),
    }
    return shot, Looks(shot, PyramidStore(tmp_path), pictures.__getitem__)


def boxed(picture: np.ndarray) -> tuple[int, int, int, int]:
    rows, columns = np.nonzero(picture.max(axis=2) > 40)
    return (columns.min(), rows.min(), columns.max(), rows.max())


def test_a_line_goes_round_a_layer_and_follows_it(tmp_path: Any) -> None:
    shot, looks = lined(tmp_path)
    line = next(each for each in shot.layers if each.line)
    found = boxed(Renderer(shot, looks, threads=1).rgb(0))
    camera_px = camera_states(shot, [0])[0].focal_px
    inner = evaluate(shot, [0])[0].card_of("print")
    half = np.array([inner.width, inner.height]) / 2 + line.line.margin + line.line.weight / 2  # type: ignore[union-attr]
    expected = half * camera_px / 2
    assert (found[2] - found[0] + 1) / 2 == pytest.approx(expected[0], abs=1.2)
    assert (found[3] - found[1] + 1) / 2 == pytest.approx(expected[1], abs=1.2)
    moved = do(shot, "move_layer", layer="print", across=0.1, up=0.05)
    there = boxed(Renderer(moved, looks, threads=1).rgb(0))
    assert np.subtract(there, found) == pytest.approx(
        np.array([1, -1, 1, -1]) * np.array([0.1, 0.05] * 2) * camera_px / 2, abs=1.2
    )
    keyed = do(shot, "set_key", of="layer:print", value="across", frame=0)
    track = track_of(keyed, keyed.layer(line.id), range(48))
    assert len(track.poses) in (1, 48)
    assert parse_shot(dump_shot(shot)) == shot
    # Without what it went round it stays, where it was put.
    alone = do(shot, "remove_layers", layers=["print"])
    assert alone.layer(line.id).line.round == ""  # type: ignore[union-attr]


def test_it_is_drawn_on_and_off_by_keys(tmp_path: Any) -> None:
    shot, _ = lined(tmp_path)
    line = next(each.id for each in shot.layers if each.line)
    on = edits.apply(shot, "draw_on", {"layer": line, "frames": 12}, at=6)
    off = edits.apply(on, "draw_on", {"layer": line, "frames": 6, "off": True}, at=30)
    assert {row.value: [(key.frame, key.value) for key in row.keys] for row in off.rows} == {
        "end": [(6, 0.0), (18, 1.0)],
        "begin": [(30, 0.0), (36, 1.0)],
    }
    black = pyramid_of(flat((0, 0, 0), 1, (320, 180)))
    renderer = Renderer(off, Looks(off, PyramidStore(tmp_path), lambda _: black), threads=1)
    light = [int(renderer.linear(f)[..., 0].sum(dtype=np.int64)) for f in (6, 10, 14, 20, 33, 36)]
    assert light[0] == 0 < light[1] < light[2] < light[3] > light[4] > light[5] == 0


def test_what_cannot_be_drawn_is_refused_in_a_sentence(tmp_path: Any) -> None:
    shot, _ = lined(tmp_path)
    line = next(each.id for each in shot.layers if each.line)
    for verb, values, says in (
        ("set_line", {"layer": "print", "taper": 5}, "is no line"),
        ("set_line", {"layer": line, "taper": 130}, "taper"),
        ("set_line", {"layer": line, "shape": "stroke"}, "goes through 0 points"),
        ("line_round", {"layer": line}, "is a line itself"),
        ("line_round", {"layer": "print", "shape": "arrow"}, "rectangle or an ellipse"),
        ("draw_on", {"layer": line, "frames": 99}, "47 frames, not 99"),
        ("draw_on", {"layer": "print"}, "is no line"),
    ):
        with pytest.raises(CoreError, match=says):
            do(shot, verb, **values)
    with pytest.raises(ValueError, match="needs 3 or more"):
        Line(shape=LineShape.OUTLINE, points=((0.1, 0.1),))
    gone = json.loads(json.dumps(dump_shot(shot)).replace('"round": "print"', '"round": "nobody"'))
    with pytest.raises(CoreError, match="nobody"):
        parse_shot(gone)
