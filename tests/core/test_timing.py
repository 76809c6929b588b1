"""Frame rates: the n x 1000/1001 fractions of SMPTE ST 12-1 (from memory)."""

from fractions import Fraction

import numpy as np
import pytest
from timecode import Timecode

from vistaline.core.errors import ShotError
from vistaline.core.timing import parse_rate, parse_time, rate_label, timecode


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
    assert timecode(29, Fraction(30)) == "00:00:00:29"


@pytest.mark.parametrize(("rate", "base"), [("29.97", 30), ("59.94", 60)])
def test_drop_frame_is_smptes(rate: str, base: int) -> None:
    """SMPTE ST 12-1 by way of the ``timecode`` package, which counts from 1; and there and back."""
    parsed = parse_rate(rate)
    rng = np.random.default_rng(1)
    frames = [0, 1799, 1800, 1801, 3597, 17981, 17982, 107892, *rng.integers(0, 2_000_000, 200)]
    for frame in map(int, frames):
        ours = timecode(frame, parsed)
        assert ours == str(Timecode(rate, frames=frame + 1)), frame
        assert parse_time(ours, parsed) == frame


def test_drop_frame_keeps_time() -> None:
    """An hour by the clock: 107,892 frames of 1001/30000 s are 3.6 ms off (SMPTE ST 12-1)."""
    rate = parse_rate("29.97")
    frames = parse_time("01:00:00;00", rate)
    assert frames == 107_892 and abs(float(frames / rate) - 3600) < 0.004
    with pytest.raises(ShotError, match="does not exist"):
        parse_time("00:01:00;00", rate)


def test_times_are_typed_as_frames_seconds_or_timecode() -> None:
    rate = Fraction(24)
    assert [parse_time(said, rate) for said in ("84", "84 f", "3.5 s", "3:12")] == [84] * 4
    for wrong in ("", "soon", "-1", "00:00:00:24", "1:61:00:00", "1:2:3:4:5"):
        with pytest.raises(ShotError):
            parse_time(wrong, rate)
