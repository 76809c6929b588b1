"""Lens and gate against a handbook table."""

import csv
import math
from pathlib import Path

import pytest

from vistaline.core.errors import ShotError
from vistaline.core.geometry.optics import angle_of_view, covering_focal_length, focal_length_px

TABLE = Path(__file__).parents[1] / "reference" / "angles_of_view.csv"


@pytest.mark.parametrize("row", list(csv.DictReader(TABLE.read_text().splitlines()[1:])))
def test_angles_of_view_agree_with_the_handbook(row: dict[str, str]) -> None:
    lens = float(row["focal_length"])
    for side, name in ((36, "horizontal"), (24, "vertical"), (math.hypot(36, 24), "diagonal")):
        # Handbooks round, some to even: within one degree.
        assert angle_of_view(lens, side) == pytest.approx(float(row[name]), abs=1.0)


def test_a_lens_of_no_length_is_refused() -> None:
    with pytest.raises(ShotError, match="focal length above 0 mm"):
        angle_of_view(0, 36)


@pytest.mark.parametrize("frame", [(1920, 1080), (1080, 1920), (1080, 1080)])
def test_the_covering_lens_leaves_no_edge_bare_and_no_pixel_to_spare(frame: tuple) -> None:
    picture = (4000, 3000)
    taking = covering_focal_length(35, frame=frame, picture=picture)
    seen = [
        side * focal_length_px(35, *frame) / focal_length_px(taking, *picture) for side in picture
    ]
    assert min(seen[0] / frame[0], seen[1] / frame[1]) == pytest.approx(1)
