"""The outputs there are, by the keys they are asked for.

The bench's list, the command line and the workers all look here. A new output is one module with
an encoder (see ``encoders``), and its place in the list below, or a call of :func:`register`.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from pydantic import ValidationError

from vistaline.core.errors import RenderError
from vistaline.core.explaining import explain
from vistaline.core.formats.encoders import Encoder
from vistaline.core.formats.sequence import PngFrames, PngFramesWithAlpha
from vistaline.core.formats.video import H264Clip, SilentClip
from vistaline.core.model import Part

__all__ = ["ENCODERS", "encoder_called", "encoder_for", "options_for", "register"]

_REGISTERED: dict[str, Encoder] = {
    each.key: each for each in (H264Clip(), SilentClip(), PngFrames(), PngFramesWithAlpha())
}
ENCODERS: Mapping[str, Encoder] = MappingProxyType(_REGISTERED)
"""All outputs by their keys, in the order in which they are offered."""


def register(encoder: Encoder) -> None:
    """Offer an output, in the place of one with its key."""
    _REGISTERED[encoder.key] = encoder


def encoder_called(key: str) -> Encoder:
    """Return the output of this key.

    Raises
    ------
    RenderError
        There is none; the sentence names those there are.
    """
    if key not in ENCODERS:
        known = ", ".join(f"{each.label} ({each.key})" for each in ENCODERS.values())
        raise RenderError(f"There is no output {key!r}. Choose one of: {known}.")
    return ENCODERS[key]


def encoder_for(target: str) -> Encoder:
    """Return the output that a path on the command line means, by how it ends; RenderError."""
    named = [each for each in ENCODERS.values() if target.lower().endswith(each.ending)]
    if named:
        return max(named, key=lambda each: len(each.ending))
    known = " or ".join(f"{each.label.lower()} ({each.ending})" for each in ENCODERS.values())
    raise RenderError(f"{target}: name a {known}.")


def options_for(encoder: Encoder, asked: Mapping[str, str]) -> Part:
    """Return an encoder's options with some chosen, as words; RenderError if one makes no sense."""
    try:
        return encoder.options.model_validate(asked)
    except ValidationError as error:
        raise RenderError(f"{encoder.label}: {explain(error, encoder.options)}") from error
