"""Frame rates and timecode. A frame is an integer; a rate is a fraction."""

from __future__ import annotations

from fractions import Fraction

from vistaline.core.errors import ShotError

__all__ = ["RATE_PRESETS", "parse_rate", "parse_time", "rate_label", "time_in", "timecode"]

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
    """Return ``hh:mm:ss:ff``; at 29.97 and 59.94 ``hh:mm:ss;ff``, dropping numbers.

    SMPTE ST 12-1, drop-frame: the first two frame numbers of a minute (four at 59.94) are left
    out, but for every tenth minute, so that the clock keeps time to 2 frames a day.

    >>> timecode(61, Fraction(24)), timecode(1800, Fraction(30000, 1001))
    ('00:00:02:13', '00:01:00;02')
    """
    base, drop = _counting(rate)
    if drop:
        tens, rest = divmod(frame, base * 600 - drop * 9)
        frame += drop * 9 * tens
        if rest >= base * 60:
            frame += drop * ((rest - base * 60) // (base * 60 - drop) + 1)
    seconds, frames = divmod(frame, base)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours:02d}:{minutes:02d}:{seconds:02d}{';' if drop else ':'}{frames:02d}"


def parse_time(text: str, rate: Fraction) -> int:
    """Return the frame that a time names: ``84``, ``84 f``, ``3.5 s`` or a timecode.

    >>> parse_time("3.5 s", Fraction(24)), parse_time("00:01:00;02", Fraction(30000, 1001))
    (84, 1800)

    Raises
    ------
    ShotError
        It is none of these, negative, or a number that drop-frame leaves out.
    """
    said = text.strip().lower()
    frame: Fraction | None = None
    parts = said.replace(";", ":").split(":")
    if len(parts) > 1:
        if len(parts) <= 4 and all(part.isdigit() for part in parts):
            frame = Fraction(_counted(text, [int(part) for part in parts], rate))
    else:
        number, unit = (said[:-1].strip(), said[-1]) if said[-1:] in "fs" and said else (said, "f")
        try:
            frame = Fraction(number) * (rate if unit == "s" else 1)
        except (ValueError, ZeroDivisionError):
            frame = None
    if frame is None or frame < 0:
        raise ShotError(
            f"{text!r} is no time. Write frames (84), seconds (3.5 s) or a timecode (00:00:03:12)."
        )
    return round(frame)


def time_in(frames: int, rate: Fraction, unit: str) -> str:
    """Return a time as people write it: in ``frames``, ``seconds`` or ``timecode``.

    Each is read back by :func:`parse_time`; seconds are exact to a hundredth of a frame.

    >>> time_in(84, Fraction(24), "seconds"), time_in(84, Fraction(24), "frames")
    ('3.5 s', '84 f')
    """
    if unit == "timecode":
        return timecode(frames, rate)
    if unit == "seconds":
        return f"{float(frames / rate):.4f}".rstrip("0").rstrip(".") + " s"
    return f"{frames} f"


def _counted(text: str, parts: list[int], rate: Fraction) -> int:
    base, drop = _counting(rate)
    hours, minutes, seconds, frames = [0] * (4 - len(parts)) + parts
    if frames >= base or seconds > 59 or (minutes > 59 and len(parts) == 4):
        raise ShotError(f"{text!r} is no timecode at {rate_label(rate)} frames a second.")
    minutes += 60 * hours
    if drop and frames < drop and seconds == 0 and minutes % 10:
        raise ShotError(
            f"{text!r} does not exist: at {rate_label(rate)} frames a second a minute begins with "
            f"frame {drop:02d}, but for every tenth."
        )
    whole = (60 * minutes + seconds) * base + frames
    return whole - drop * (minutes - minutes // 10)


def _counting(rate: Fraction) -> tuple[int, int]:
    """Return the frames that a second counts, and the numbers that drop-frame leaves out."""
    base = -(-rate.numerator // rate.denominator)
    dropping = rate in (RATE_PRESETS["29.97"], RATE_PRESETS["59.94"])
    return base, base // 15 if dropping else 0
