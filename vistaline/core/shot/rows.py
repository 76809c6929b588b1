"""Rows of keys: one for each value that changes over time."""

from __future__ import annotations

import re
from itertools import pairwise
from typing import Any, Self

import numpy as np
from numpy.typing import ArrayLike
from pydantic import Field, model_validator

from vistaline.core.arrays import FloatArray
from vistaline.core.easing import EaseName, parse_ease
from vistaline.core.errors import ShotError
from vistaline.core.kept import Kept
from vistaline.core.keyable import Keyable, Kind
from vistaline.core.model import Part
from vistaline.core.picture.colour import encode_srgb, hex_to_linear
from vistaline.core.shot.things import keyable

__all__ = ["MOST_KEYS", "Key", "Row", "values_at"]

MOST_KEYS = 10_000
"""Keys of one row: more than one a frame for five minutes is a mistake."""


class Key(Part):
    """A value at a frame; ``ease`` is that of the travel from the key before to this one."""

    frame: int = Field(ge=0, le=1_000_000)
    value: float | str
    ease: EaseName = "ease-in-out"


class Row(Part):
    """The keys of one value by time; before the first and after the last key it is constant."""

    of: str = Field(
        min_length=1,
        max_length=200,
        description="layer:, layout:, callout:, mount:, camera:, lamp:, style:, or what in the "
        "air it is, and its id or name.",
    )
    value: str = Field(description="Which of its values; the shot file's page lists them.")
    keys: tuple[Key, ...] = Field(min_length=1)

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        about = self.about
        if len(self.keys) > MOST_KEYS:
            raise ShotError(
                f"{about.label} of {self.of} has {len(self.keys):,} keys; {MOST_KEYS:,} are the "
                "most. Remove some, or paste fewer.",
                field="keys",
            )
        for earlier, later in pairwise(self.keys):
            if later.frame <= earlier.frame:
                raise ShotError(
                    f"{about.label} of {self.of} has a key at frame {later.frame} after one at "
                    f"frame {earlier.frame}. Give each key a later frame than the one before.",
                    field="keys",
                )
        for key in self.keys:
            _check(about, key.value)
        return self

    @property
    def about(self) -> Keyable:
        return keyable(self.of, self.value)

    def key_at(self, frame: int) -> Key | None:
        """Return the key at exactly this frame; None if there is none."""
        return next((key for key in self.keys if key.frame == frame), None)


def _check(about: Keyable, value: float | str) -> None:
    written = about.kind in (Kind.COLOUR, Kind.TEXT)
    if written != isinstance(value, str):
        wanted = "text" if about.kind is Kind.TEXT else "a colour" if written else "a number"
        raise ShotError(f"{about.label} is {wanted}, not {value!r}.", field="keys")
    if about.kind is Kind.COLOUR and not re.fullmatch("#[0-9a-fA-F]{6}", str(value)):
        raise ShotError(f"{value!r} is no colour; write #rrggbb.", field="keys")
    if not written and not about.low <= float(value) <= about.high:
        low, high = sorted(limit * about.factor for limit in (about.low, about.high))
        raise ShotError(
            f"{about.label} must be {low:g} to {high:g} {about.unit}".rstrip()
            + f", not {float(value) * about.factor:g}.",
            field="keys",
        )


def values_at(row: Row, frames: ArrayLike) -> Any:
    """Return a row's values at ``frames`` (N,), whole or fractional.

    Numbers come as (N,) float64; colours and texts as a list of N. Where an ease goes beyond the
    value's range, the value is clamped to it.

    >>> across = Row(of="layer:a", value="across", keys=(
    ...     Key(frame=0, value=1.0), Key(frame=10, value=2.0, ease="linear")))
    >>> values_at(across, [-3, 5, 20]).tolist()
    [1.0, 1.5, 2.0]
    """
    frames = np.asarray(frames, dtype=np.float64)
    about, (times, values) = row.about, _keys_of(row)
    if about.kind is Kind.TEXT:
        at = np.maximum(np.searchsorted(times, frames, "right") - 1, 0)
        return [row.keys[n].value for n in at]
    before, after, progress = _travelled(row, times, frames)
    if about.kind is Kind.RATIO:
        mean = values[before] ** (1 - progress) * values[after] ** progress
    elif about.kind is Kind.INVERSE:
        mean = 1 / np.maximum((1 - progress) / values[before] + progress / values[after], 1e-9)
    else:
        # A weighted mean, so that both ends are met to the last bit.
        share = progress if values.ndim == 1 else progress[:, None]
        mean = (1 - share) * values[before] + share * values[after]
    if about.kind is Kind.COLOUR:
        codes = np.rint(encode_srgb(np.clip(mean, 0, 1)) * 255).astype(int)
        return ["#" + bytes(code).hex() for code in codes.tolist()]
    return np.clip(mean, about.low, about.high)


_KEYS: Kept[tuple[FloatArray, FloatArray]] = Kept("keys")


def _keys_of(row: Row) -> tuple[FloatArray, FloatArray]:
    """Return the frames (K,) of a row's keys and their values.

    Numbers are (K,), colours are linear light (K, 3); texts have no array of values, and get
    their frames a second time.
    """
    return _KEYS.get(row, lambda: _key_arrays(row))


def _key_arrays(row: Row) -> tuple[FloatArray, FloatArray]:
    times = np.array([key.frame for key in row.keys], dtype=np.float64)
    kind = row.about.kind
    if kind is Kind.TEXT:
        return times, times
    values = [
        hex_to_linear(str(key.value)) if kind is Kind.COLOUR else key.value for key in row.keys
    ]
    return times, np.array(values, dtype=np.float64)


def _travelled(
    row: Row, times: FloatArray, frames: FloatArray
) -> tuple[np.ndarray, np.ndarray, FloatArray]:
    """Return the keys before and after each of ``frames`` (N,), and its progress between them."""
    last = len(times) - 1
    after = np.searchsorted(times, frames, "left")
    before = np.clip(after - 1, 0, last)
    after = np.minimum(after, last)
    way = times[after] - times[before]
    passed = np.clip((frames - times[before]) / np.where(way > 0, way, 1), 0, 1)
    # Keys by the ease they are reached with: there are few kinds, whatever the number of keys.
    kinds: dict[Any, list[int]] = {}
    for n in range(int(after.min(initial=last)), int(after.max(initial=0)) + 1):
        kinds.setdefault(row.keys[n].ease, []).append(n)
    if len(kinds) == 1:
        progress = parse_ease(next(iter(kinds)))(passed)
    else:
        progress = passed
        for ease, keys in kinds.items():
            on = np.isin(after, keys)
            progress[on] = parse_ease(ease)(progress[on])
    # Where it stands it has come all the way, whatever its ease makes of no time at all.
    return before, after, np.where(way > 0, progress, 1.0)
