"""Outlines against skia's rasteriser and closed forms."""

import numpy as np
import pytest
import skia
from skimage.draw import polygon2mask

from vistaline.core.picture.coverage import coverage_of, flatten_cubic


def test_a_bezier_outline_covers_what_skia_fills() -> None:
    """Area within 0.1 %: skia draws the same path, anti-aliased."""
    corners = [(40.3, 60.7), (260.2, 30.1), (280.9, 210.4), (70.6, 230.8)]
    handles = [((90, -20), (200, 90)), ((350, 60), (240, 170)), ((190, 300), (120, 160)),
               ((10, 200), (90, 110))]  # fmt: skip
    path, points = skia.Path(), [np.array([corners[0]])]
    path.moveTo(*corners[0])
    for n, (first, second) in enumerate(handles):
        end = corners[(n + 1) % 4]
        path.cubicTo(*first, *second, *end)
        points.append(flatten_cubic(corners[n], first, second, end))
    surface = skia.Surface(320, 300)
    canvas = surface.getCanvas()
    canvas.clear(skia.ColorBLACK)
    canvas.drawPath(path, skia.Paint(AntiAlias=True, Color=skia.ColorWHITE))
    theirs = surface.makeImageSnapshot().toarray()[..., 0].astype(float)
    ours = coverage_of(np.concatenate(points), (320, 300)).astype(float)
    assert ours.sum() == pytest.approx(theirs.sum(), rel=1e-3)
    # skia's own edges are approximate where they are flat: pixels against scikit-image, 16 x 16.
    fine = np.concatenate(points)[:, ::-1] * 16 - 0.5
    samples = polygon2mask((300 * 16, 320 * 16), fine).reshape(300, 16, 320, 16)
    assert np.abs(ours - samples.mean(axis=(1, 3)) * 255).max() <= 8


def test_a_rectangle_covers_its_area_exactly() -> None:
    mask = coverage_of([(10.25, 20.5), (30.75, 20.5), (30.75, 25), (10.25, 25)], (64, 48)) / 255
    assert mask.sum() == pytest.approx(20.5 * 4.5, abs=0.2)
    assert mask[22, 15] == 1
    assert mask[22, 10] == pytest.approx(0.75, abs=1 / 255)
    assert mask[20, 15] == pytest.approx(0.5, abs=1 / 255)


@pytest.mark.parametrize("turn", [1, -1])
def test_what_lies_outside_the_picture_is_cut_off(turn: int) -> None:
    corners = [(-50, -50), (100, -50), (100, 100), (-50, 100)][::turn]
    assert (coverage_of(corners, (40, 30)) == 255).all()
    assert not coverage_of([(50, 0), (60, 0), (60, 20)], (40, 30)).any()


def test_two_points_cover_nothing() -> None:
    """Also when two of three lie on one spot."""
    assert not coverage_of([(1, 1), (20, 20)], (40, 30)).any()
    assert not coverage_of([(1, 1), (20, 20), (20, 20)], (40, 30)).any()
