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
from vistaline.core.formats.animations import GIF, WEBP
from vistaline.core.formats.coded import AV1, H264, H265, LOSSLESS, MASTER, VP9
from vistaline.core.formats.encoders import Encoder
from vistaline.core.formats.sequence import EXR, JPEG, PNG, PNG_ALPHA, TIFF
from vistaline.core.formats.video import Clip, SilentClip
from vistaline.core.model import Part

__all__ = ["ENCODERS", "encoder_called", "encoder_for", "options_for", "register"]

_LOOK, _EDIT, _WEB = "To look at", "For the edit", "For pages"
_CLIPS = (
    Clip(
        key="mp4",
        use=_LOOK,
        label="Clip",
        about="MP4, H.264, for every player",
        ending=".mp4",
        kind=H264,
        plays=True,
    ),
    SilentClip(
        key="mp4-silent",
        use=_LOOK,
        label="Clip with silence",
        about="the same, with a track of silence",
        ending=".mp4",
        kind=H264,
        plays=True,
    ),
    Clip(
        key="master",
        use=_EDIT,
        label="Edit master",
        about="MOV, SMPTE RDD 36 in 10 bits, for the edit",
        ending=".mov",
        kind=MASTER,
    ),
    Clip(
        key="hevc",
        use=_WEB,
        label="Clip, H.265",
        about="MP4, half as large at the same quality",
        ending=".mp4",
        kind=H265,
    ),
    Clip(
        key="mov",
        use=_EDIT,
        label="Clip in MOV",
        about="MOV, H.264, with a time code",
        ending=".mov",
        kind=H264,
    ),
    Clip(
        key="hevc-mov",
        use=_EDIT,
        label="Clip in MOV, H.265",
        about="MOV, H.265, with a time code",
        ending=".mov",
        kind=H265,
    ),
    Clip(
        key="vp9",
        use=_WEB,
        label="Clip for pages",
        about="WebM, VP9, also transparent",
        ending=".webm",
        kind=VP9,
        plays=True,
    ),
    Clip(
        key="av1",
        use=_WEB,
        label="Small clip for pages",
        about="WebM, AV1, the smallest, slow to make",
        ending=".webm",
        kind=AV1,
        plays=True,
    ),
    Clip(
        key="ffv1",
        use=_EDIT,
        label="Lossless clip",
        about="Matroska, FFV1: every code as it was rendered",
        ending=".mkv",
        kind=LOSSLESS,
    ),
)
_REGISTERED: dict[str, Encoder] = {
    each.key: each for each in (*_CLIPS, WEBP, GIF, PNG, PNG_ALPHA, TIFF, EXR, JPEG)
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
        # The first that is offered, of those that say most of the name.
        return max(named, key=lambda each: len(each.ending))
    endings = ", ".join(dict.fromkeys(each.ending for each in ENCODERS.values()))
    raise RenderError(f"{target}: let its name end with what it shall become: {endings}.")


def options_for(encoder: Encoder, asked: Mapping[str, str]) -> Part:
    """Return an encoder's options with some chosen, as words; RenderError if one makes no sense."""
    try:
        return encoder.options.model_validate(asked)
    except ValidationError as error:
        raise RenderError(f"{encoder.label}: {explain(error, encoder.options)}") from error
