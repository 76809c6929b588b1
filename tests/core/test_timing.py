"""Frame rates: the n x 1000/1001 fractions of SMPTE ST 12-1 (from memory)."""

from fractions import Fraction

import pytest

from vistaline.core.errors import ShotError
from vistaline.core.timing import parse_rate, rate_label, timecode


@pytest.mark.parametrize(
    ("name", "rate"),
    [
        ("23.976", Fraction(24000, 1001)),
        ("29.97", Fraction(30000, 1001)),
        ("59.94", Fraction(60000, 1001)),
        ("25", Fraction(25)),
        ("24000/1001", Fraction(24000, 1001)),
    ],
)
def test_trade_names_stand_for_exact_fractions(name: str, rate: Fraction) -> None:
    assert parse_rate(name) == rate
    assert parse_rate(rate_label(rate)) == rate


@pytest.mark.parametrize("wrong", ["", "0", "-24", "fast", "1/0", "1000"])
def test_a_rate_that_is_none_is_refused(wrong: str) -> None:
    with pytest.raises(ShotError, match="frame rate must be 1 to 240"):
        parse_rate(wrong)


def test_timecode_counts_frames_at_the_next_whole_rate() -> None:
    assert timecode(24 * 3600, Fraction(24000, 1001)) == "01:00:00:00"
    assert timecode(29, Fraction(30000, 1001)) == "00:00:00:29"
