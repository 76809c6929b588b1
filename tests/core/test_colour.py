"""Transfer and premultiplication against IEC 61966-2-1, colour-science and Pillow."""

import csv
import warnings
from pathlib import Path

import numpy as np
import pytest

from vistaline.core.picture import colour

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # it warns of optional packages that are not needed here
    import colour as reference

TABLE = Path(__file__).parents[1] / "reference" / "srgb.csv"


@pytest.mark.parametrize("row", list(csv.DictReader(TABLE.read_text().splitlines()[1:])))
def test_codes_mean_the_standards_light(row: dict[str, str]) -> None:
    linear = colour.linearise_srgb(int(row["code"]) / 255)
    assert float(linear) == pytest.approx(float(row["linear"]), abs=5e-7)


def test_the_transfer_is_colour_sciences_both_ways() -> None:
    values = np.linspace(0, 1, 4001)
    np.testing.assert_allclose(
        colour.linearise_srgb(values), reference.models.eotf_sRGB(values), atol=1e-6
    )
    np.testing.assert_allclose(
        colour.encode_srgb(values), reference.models.eotf_inverse_sRGB(values), atol=1e-6
    )


def test_every_8_bit_code_survives_linear_16_bit() -> None:
    codes = np.rint(colour.srgb_table()[colour.linear16_from_srgb(256)])
    np.testing.assert_array_equal(codes, np.arange(256))


def test_the_curve_for_video_is_the_standards() -> None:
    """IEC 61966-2-1 above its linear toe, within 0.03 of 255 codes."""
    light = np.linspace(0.0031308, 1, 10_001)
    drawn = np.polynomial.polynomial.polyval(light**0.25, colour.srgb_polynomial())
    np.testing.assert_allclose(drawn, colour.encode_srgb(light) * 255, atol=0.03)
