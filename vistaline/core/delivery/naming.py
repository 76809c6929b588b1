"""Names of files by a pattern: words, and tokens in braces that stand for what is handed over."""

from __future__ import annotations

import re
import string
import unicodedata
from collections.abc import Mapping
from datetime import date
from types import MappingProxyType

from vistaline.core.errors import RenderError
from vistaline.core.near import meant

__all__ = ["FRAME", "PATTERN", "TOKENS", "check_pattern", "name_by", "name_facts", "plain"]

PATTERN = "{shot}-{take}-{camera}-{render}-{frame}"
"""How files are called unless somebody says otherwise."""
FRAME = "frame"
TOKENS: Mapping[str, str] = MappingProxyType(
    {
        "project": "the project",
        "shot": "the shot, or the film",
        "take": "the take; nothing for the route as it is",
        "camera": "the camera, if only one is seen",
        "size": "width and height, as 1920x1080",
        "date": "the day it was asked for, as 2026-11-29",
        "render": "the number of the render",
        FRAME: "a frame's number; left out of the name of a clip",
    }
)
"""What can stand in a pattern, and what each becomes."""
_FORBIDDEN = re.compile(r'[/\\:*?"<>|\x00-\x1f\x7f]')
"""Not in a file's name on one system or another (Microsoft, "Naming Files, Paths, and Namespaces";
POSIX.1-2017, 3.170 Filename)."""
_DEVICES = re.compile(r"^(con|prn|aux|nul|com[0-9]|lpt[0-9])($|\.)", re.IGNORECASE)
"""Names that Windows keeps for devices, whatever ending follows (the same page)."""
_LONGEST_PATTERN = 100
_LONGEST = 200
"""Bytes of a name; with a number and an ending it stays within the 255 that systems have."""
_SHORTER = (80, 40, 20, 10, 5)
"""Letters of what a token stands for, tried one after the other until the name is short enough."""
_BETWEEN = "-_. "
_ABSENT = "\0"


def check_pattern(pattern: str) -> None:
    """Refuse a pattern that makes no safe name.

    Raises
    ------
    RenderError
        It has an unknown token, a brace without its other, or what is not in a file's name on
        every system; the sentence says which.
    """
    try:
        pieces = list(string.Formatter().parse(pattern))
    except ValueError as error:
        raise RenderError(f"The name {pattern!r} has a brace without its other.") from error
    for words, token, form, conversion in pieces:
        if wrong := _FORBIDDEN.search(words):
            raise RenderError(
                f"A name cannot have {wrong.group()!r} in it: some systems have no such files. "
                "Take it out."
            )
        if ".." in words or pattern.startswith((".", " ")) or pattern.endswith((".", " ")):
            raise RenderError(
                f"The name {pattern!r} begins or ends with a dot or a space, or has two dots in a "
                "row; files of such names are hidden or lost on some systems."
            )
        if token is not None and (token not in TOKENS or form or conversion):
            known = ", ".join(f"{{{each}}}" for each in TOKENS)
            raise RenderError(
                f"Names know no {{{token}}}. {meant(token, TOKENS)} There are {known}."
            )
    if not pattern.strip(_BETWEEN):
        raise RenderError("Files need a name. Write one, such as {shot}-{frame}.")
    if len(pattern) > _LONGEST_PATTERN:
        raise RenderError(f"A name has at most {_LONGEST_PATTERN} letters. Make it shorter.")


def name_by(pattern: str, facts: Mapping[str, str]) -> str:
    """Return a name by a pattern that was checked; what has no fact goes, with what is before it.

    >>> name_by("{shot}-{take}-{frame}", {"shot": "Sallow Head", "frame": "0012"})
    'sallow-head-0012'
    """
    told = {token: plain(facts.get(token, "")) for token in TOKENS}
    for most in _SHORTER:
        # A number is never cut: two frames would have one name.
        short = {
            token: (words if token == FRAME else words[:most].strip("-")) or _ABSENT
            for token, words in told.items()
        }
        name = pattern.format_map(short)
        name = re.sub(f"[{re.escape(_BETWEEN)}]*{_ABSENT}", "", name).strip(_BETWEEN) or "shot"
        if len(name.encode()) <= _LONGEST:
            break
    return f"file-{name}" if _DEVICES.match(name) else name


def name_facts(
    *,
    shot: str,
    size: tuple[int, int],
    day: date,
    project: str = "",
    take: str = "",
    camera: str = "",
    render: str = "",
) -> dict[str, str]:
    """Return what tokens stand for, but for a frame's number."""
    return {
        "project": project,
        "shot": shot,
        "take": take,
        "camera": camera,
        "size": f"{size[0]}x{size[1]}",
        "date": day.isoformat(),
        "render": render,
    }


def plain(text: str) -> str:
    """Return words as they stand in file names: small letters and numbers, joined by dashes.

    >>> plain("Été à Öland: №2"), plain("1920x1080")
    ('ete-a-oland-no2', '1920x1080')
    """
    apart = unicodedata.normalize("NFKD", text)
    # An accent on a Latin letter goes; what makes another letter in other scripts stays.
    bare = unicodedata.normalize("NFC", re.sub(r"([A-Za-z])[̀-ͯ]+", r"\1", apart))
    return re.sub(r"[\W_]+", "-", bare).strip("-").lower()
