"""Frame rates and timecode. A frame is an integer; a rate is a fraction."""

from __future__ import annotations

from fractions import Fraction

from vistaline.core.errors import ShotError

__all__ = ["RATE_PRESETS", "parse_rate", "rate_label", "timecode"]

RATE_PRESETS: dict[str, Fraction] = {
    "23.976": Fraction(24000, 1001),
    "24": Fraction(24),
    "25": Fraction(25),
    "29.97": Fraction(30000, 1001),
    "30": Fraction(30),
    "50": Fraction(50),
    "59.94": Fraction(60000, 1001),
    "60": Fraction(60),
}
"""Film and television rates; decimal names stand for SMPTE's n x 1000/1001 fractions."""


def parse_rate(text: str | int | float | Fraction) -> Fraction:
    """Return the frames per second that ``text`` names.

    Trade names (``23.976``), whole numbers and fractions (``24000/1001``) are read exactly.

    >>> parse_rate("29.97")
    Fraction(30000, 1001)
    >>> parse_rate("12")
    Fraction(12, 1)
    """
    name = str(text).strip()
    try:
        rate = RATE_PRESETS.get(name) or Fraction(name)
    except (ValueError, ZeroDivisionError):
        rate = Fraction(0)
    if not 1 <= rate <= 240:
        raise ShotError(
            f"The frame rate must be 1 to 240 frames a second, such as 25, 23.976 or 24000/1001; "
            f"got {name!r}.",
            field="frame.rate",
        )
    return rate


def rate_label(rate: Fraction) -> str:
    """Return the trade name of a rate, or its fraction.

    >>> rate_label(Fraction(24000, 1001))
    '23.976'
    """
    for name, preset in RATE_PRESETS.items():
        if preset == rate:
            return name
    return str(rate)


def timecode(frame: int, rate: Fraction) -> str:
    """Return ``hh:mm:ss:ff``, counting frames (non-drop) at the next whole rate.

    >>> timecode(61, Fraction(24))
    '00:00:02:13'
    """
    base = -(-rate.numerator // rate.denominator)
    seconds, frames = divmod(frame, base)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours:02d}:{minutes:02d}:{seconds:02d}:{frames:02d}"
