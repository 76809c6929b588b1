"""A contact sheet: what a shot's cameras see at each of their framings, to be pinned to a wall."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
from PIL import Image, ImageDraw

from vistaline.core.looks.typefaces import fonts_of
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.render.frame import Renderer, scaled
from vistaline.core.shot.cameras import Cut
from vistaline.core.shot.route import Framing
from vistaline.core.shot.shot import Shot
from vistaline.core.timing import timecode

__all__ = ["contact_sheet"]

_PAPER, _INK, _SOFT = (252, 250, 245), (29, 40, 56), (96, 104, 116)
_PAGE = 2480, 1754
"""A4 lying down (ISO 216: 297 x 210 mm)."""
_DPI = _PAGE[0] / 297 * 25.4
_EDGE, _GAP, _HEAD, _WORDS = 110, 44, 120, 100
_COLUMNS = 3
_FACE = "source-sans"


@dataclass(frozen=True, kw_only=True)
class _Seen:
    picture: Image.Image
    title: str
    words: str


def contact_sheet(
    shot: Shot,
    looks: Mapping[str, Pyramid],
    kind: str,
    *,
    day: date,
    progress: Callable[[float], None] = lambda share: None,
) -> bytes:
    """Return a sheet of all framings of all cameras: ``kind`` "png", all in one, or "pdf", A4.

    Each says its number and name, its time, its lens, and what is sharp.
    """
    across = (_PAGE[0] - 2 * _EDGE - (_COLUMNS - 1) * _GAP) // _COLUMNS
    small = scaled(shot, across / shot.frame.width)
    seen = list(_seen(small, looks, across, progress))
    tall = max(each.picture.height for each in seen) + _WORDS
    if kind == "png":
        rows = -(-len(seen) // _COLUMNS)
        height = _EDGE + _HEAD + rows * (tall + _GAP) + _EDGE - _GAP
        pages = [_page(shot, seen, (_PAGE[0], height), across, tall, day, "")]
    else:
        rows = max(1, (_PAGE[1] - 2 * _EDGE - _HEAD + _GAP) // (tall + _GAP))
        parts = [seen[at : at + rows * _COLUMNS] for at in range(0, len(seen), rows * _COLUMNS)]
        pages = [
            _page(shot, part, _PAGE, across, tall, day, f"{n} of {len(parts)}")
            for n, part in enumerate(parts, 1)
        ]
    data = io.BytesIO()
    if kind == "png":
        pages[0].save(data, "PNG", compress_level=6)
    else:
        pages[0].save(data, "PDF", resolution=_DPI, save_all=True, append_images=pages[1:],
                      title=shot.name, quality=90)  # fmt: skip
    return data.getvalue()


def _seen(
    shot: Shot, looks: Mapping[str, Pyramid], across: int, progress: Callable[[float], None]
) -> Iterator[_Seen]:
    several = len(shot.cameras) > 1
    wanted = [(camera, framing) for camera in shot.cameras for framing in camera.route.framings]
    for n, (camera, framing) in enumerate(wanted):
        progress(n / len(wanted))
        from_it = shot.evolve(cuts=(Cut(frame=0, camera=camera.id),))
        frame = min(framing.frame, shot.duration - 1)
        rgb = Renderer(from_it, looks).rgb(frame)
        picture = Image.fromarray(np.ascontiguousarray(rgb))
        if picture.width != across:
            picture = picture.resize((across, round(across * picture.height / picture.width)))
        number = camera.route.framings.index(framing) + 1
        title = f"{camera.name} {number}" if several else str(number)
        yield _Seen(
            picture=picture,
            title=f"{title}  {framing.name}".strip(),
            words=_words(framing, shot),
        )


def _words(framing: Framing, shot: Shot) -> str:
    words = [timecode(framing.frame, shot.frame.rate), f"{framing.lens:.4g} mm"]
    if framing.f_number:
        words.append(f"f/{framing.f_number:.3g}")
    if framing.focus:
        words.append(f"sharp at {framing.focus:.3g} m")
    if framing.hold:
        words.append(f"held {framing.hold} f")
    return "  ·  ".join(words)


def _page(
    shot: Shot,
    seen: Sequence[_Seen],
    size: tuple[int, int],
    across: int,
    tall: int,
    day: date,
    number: str,
) -> Image.Image:
    page = Image.new("RGB", size, _PAPER)
    draw = ImageDraw.Draw(page)
    big, plain = fonts_of(_FACE, 600, 54)[0], fonts_of(_FACE, 400, 32)[0]
    name = fonts_of(_FACE, 600, 34)[0]
    frame = shot.frame
    draw.text((_EDGE, _EDGE - 30), shot.name, _INK, big)
    told = f"{timecode(shot.duration, frame.rate)}  ·  {day.isoformat()}"
    right = "  ·  ".join(filter(None, [told, number]))
    draw.text((size[0] - _EDGE, _EDGE - 8), right, _SOFT, plain, anchor="ra")
    for n, each in enumerate(seen):
        x = _EDGE + n % _COLUMNS * (across + _GAP)
        y = _EDGE + _HEAD + n // _COLUMNS * (tall + _GAP)
        page.paste(each.picture, (x, y))
        under = y + each.picture.height + 12
        draw.text((x, under), each.title, _INK, name)
        draw.text((x, under + 42), each.words, _SOFT, plain)
    return page
