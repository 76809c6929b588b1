"""The demo's gallery: prints from the lighthouse trust's drawer, hung in a room, with a title.

The prints are cuttings of the drawn headland, toned as old paper is, and two pages that were
never photographed: a leaf of the logbook and the lamp's section.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageDraw

from vistaline.core import edits
from vistaline.core.files import write_atomically
from vistaline.core.looks.fields import ColourField, Stop
from vistaline.core.looks.frame_styles import FrameStyle, Shadow
from vistaline.core.looks.typefaces import fonts_of
from vistaline.core.picture.still import encode_jpeg
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import FrameFormat, Layer, PictureRef, Shot, TakingCamera
from vistaline.core.shot.shows import FieldShown, PictureShown
from vistaline.core.shot.stands import FreeCard

__all__ = ["KEEPER", "write_gallery"]

Codes = np.ndarray
_LONGER = 1400
KEEPER = (0.33, 0.56, 0.20, 0.42)
"""Where the keeper is in the drawn photograph: left, top, width and height as shares of it."""
# Of the drawn photograph: name, left, top, width and height as shares of it, and the print's tone.
_CUTTINGS = (
    ("The light", 0.70, 0.02, 0.16, 0.58, "silver"),
    ("Sunset", 0.14, 0.24, 0.36, 0.38, "plain"),
    ("The keeper", *KEEPER, "sepia"),
    ("The cottage", 0.84, 0.38, 0.15, 0.22, "sepia"),
    ("Reeds", 0.00, 0.52, 0.26, 0.46, "blue"),
    ("The bay", 0.05, 0.40, 0.60, 0.30, "silver"),
)


def write_gallery(folder: Path, photo: Codes) -> Shot:
    """Draw the prints into ``folder`` and return the shot that shows them."""
    prints = {name: _toned(_cut(photo, *box), tone) for name, *box, tone in _CUTTINGS}
    prints |= {"The logbook": _logbook(), "The lamp": _lamp()}
    pictures, layers = {}, []
    for name, codes in prints.items():
        key = name.lower().replace(" ", "-")
        file = f"pictures/gallery-{key}.jpg"
        write_atomically(folder / file, encode_jpeg(codes, 92))
        pictures[key] = PictureRef(file=file, width=codes.shape[1], height=codes.shape[0])
        # As wide as a print of about the same area each.
        width = 0.5 * (codes.shape[1] / codes.shape[0]) ** 0.5
        layers.append(
            Layer(
                name=name,
                shows=PictureShown(picture=key),
                stands=FreeCard(width=width),
                frame_style="White border",
            )
        )
    return _hung(pictures, layers)


def _hung(pictures: dict[str, PictureRef], layers: list[Layer]) -> Shot:
    wall = ColourField(
        kind="radial",
        stops=(Stop(at=0, colour="#7d8f8a"), Stop(at=1, colour="#2d3b40")),
        width=11,
        height=7,
    )
    shot = Shot(
        name="From the trust's drawer",
        frame=FrameFormat(duration=240),
        background="#20282c",
        taking_camera=TakingCamera(width=1920, height=1080, focal_length=35),
        pictures=pictures,
        frame_styles={
            "White border": FrameStyle(
                border=0.07,
                paper=0.5,
                shadow=Shadow(angle=150, distance=0.22, softness=0.16, strength=0.5),
            )
        },
        layers=(
            Layer(name="Wall", shows=FieldShown(field=wall), stands=FreeCard(), distance=5.2),
            *layers,
        ),
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(frame=0, name="The whole drawer"),
                        Framing(
                            frame=239,
                            name="Towards the light",
                            position=(0.55, 0.04, -1.1),
                            pan=-3,
                            ease=(0.45, 0.0, 0.2, 1.0),
                        ),
                    )
                )
            ),
        ),
    )
    keys = [layer.id for layer in shot.layers[1:]]
    values = {"layers": keys, "near": 3.0, "far": 4.7, "spacing": 0.03, "tilt": 5, "seed": 12}
    shot = edits.apply(shot, "scatter", values)
    shot = edits.apply(shot, "group_layers", {"layers": keys, "name": "Prints"})
    shot = edits.apply(shot, "add_title", {"text": "Sallow Head\n1887 – 1931"})
    title = shot.layers[-1].id
    shot = edits.apply(shot, "move_in_depth", {"layer": title, "distance": 3.6})
    look = {"face": "playfair", "weight": 500, "size": 0.24, "line_spacing": 110, "fill": "#f3e9d2"}
    shot = edits.apply(shot, "set_title", {"layer": title, **look})
    # It types itself, word by word.
    comes = {"how": "typed", "by": "word", "start": 14, "frames": 46, "overlap": 0}
    shot = edits.apply(shot, "set_passage", {"layer": title, "way": "arrives", **comes})
    shot = _encircled(shot, "reeds")
    shot = edits.apply(shot, "add_occluder", {"kind": "edge"})
    # First the title alone is sharp; while the camera comes nearer the aperture closes, and the
    # prints come out. They hang close together: at its true strength a lens would hardly tell.
    shot = edits.apply(shot, "set_opening", {"f_number": 1, "strength": 300})
    shot = edits.apply(shot, "keep_in_focus", {"layer": title})
    for frame, stop in ((48, 1), (204, 11)):
        shot = edits.apply(shot, "set_opening", {"f_number": stop}, at=frame, auto_key=True)
    return shot


def _encircled(shot: Shot, layer: str) -> Shot:
    """Return the shot with a line by hand drawn round a print, while one looks."""
    known = {each.id for each in shot.layers}
    shot = edits.apply(shot, "line_round", {"layer": layer})
    line = next(each.id for each in shot.layers if each.id not in known)
    look = {"colour": "#d9603b", "rough": 30, "taper": 25, "seed": 4}
    shot = edits.apply(shot, "set_line", {"layer": line, **look})
    return edits.apply(shot, "draw_on", {"layer": line, "frames": 30}, at=84)


def _cut(photo: Codes, left: float, top: float, width: float, height: float) -> Codes:
    tall, wide = photo.shape[:2]
    x, y = round(left * wide), round(top * tall)
    part = photo[y : y + round(height * tall), x : x + round(width * wide)]
    scale = min(1.0, _LONGER / max(part.shape[:2]))
    small: Codes = cv2.resize(part, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return small


def _toned(codes: Codes, tone: str) -> Codes:
    if tone == "plain":
        return codes
    grey = cv2.cvtColor(codes, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    grey = np.clip((grey - 0.04) * 1.25, 0, 1) ** 0.85
    dark, light = {
        "silver": ((16, 18, 20), (236, 236, 230)),
        "sepia": ((38, 24, 14), (244, 226, 192)),
        "blue": ((10, 26, 58), (226, 238, 244)),
    }[tone]
    toned = np.array(dark) + grey[..., None] * (np.array(light) - np.array(dark))
    noise = np.random.default_rng(len(tone)).normal(0, 3, grey.shape)
    return np.clip(np.rint(toned + noise[..., None]), 0, 255).astype(np.uint8)


def _page(size: tuple[int, int], draw: Callable[[ImageDraw.ImageDraw], None]) -> Codes:
    """Return a page of old paper with something drawn on it."""
    rng = np.random.default_rng(size[0])
    stain = cv2.resize(rng.normal(0, 1, (9, 7)).astype(np.float32), size)
    stain = cv2.GaussianBlur(stain, (0, 0), size[0] / 12)
    paper = np.array([231, 216, 181]) + 7 * stain[..., None] + rng.normal(0, 2, (*size[::-1], 1))
    image = Image.fromarray(np.clip(paper, 0, 255).astype(np.uint8))
    draw(ImageDraw.Draw(image))
    return np.asarray(image)


def _logbook() -> Codes:
    lines = (
        "Oct. 14.  Wind N.W., fresh.  Lamp lit 5.20.",
        "Two colliers passed S. before ten.",
        "Oil 3 gal.  Glass cleaned.",
        "",
        "Oct. 15.  Fog from four.  Bell till dawn.",
        "The reeds quite still.  No sail.",
        "",
        "Oct. 16.  Clear.  Keeper's boy ill; better",
        "by night.  Painted the gallery rail.",
    )

    def write(draw: ImageDraw.ImageDraw) -> None:
        hand = fonts_of("courier", 400, 34)[0]
        for n in range(18):
            draw.line((60, 130 + n * 66, 940, 130 + n * 66), (150, 160, 170), 2)
        draw.line((120, 40, 120, 1360), (190, 90, 80), 3)
        for n, line in enumerate(lines):
            draw.text((140, 124 + n * 132 * 0.5 * 2), line, (40, 44, 74), hand, anchor="ls")

    return _page((1000, 1400), write)


def _lamp() -> Codes:
    """Return the lamp's section: ribs of a lens round a flame, as an engineer would draw it."""

    def write(draw: ImageDraw.ImageDraw) -> None:
        ink = (52, 48, 44)
        for n in range(13):
            top, wide = 180 + n * 66, 180 + 150 * np.sin((n + 1) / 14 * np.pi)
            draw.rectangle((500 - wide, top, 500 - wide + 46, top + 54), outline=ink, width=4)
            draw.rectangle((500 + wide - 46, top, 500 + wide, top + 54), outline=ink, width=4)
        draw.ellipse((440, 520, 560, 760), outline=(150, 80, 30), width=6)
        draw.line((500, 760, 500, 1120), ink, 8)
        draw.rectangle((330, 1120, 670, 1180), outline=ink, width=6)
        for end in (300, 420, 640, 860, 980):
            draw.line((500, 640, 30, end), (150, 80, 30), 2)
            draw.line((500, 640, 970, end), (150, 80, 30), 2)
        draw.text((500, 90), "Lamp of the first order", ink, fonts_of("playfair", 400, 54)[0], "mm")

    return _page((1000, 1300), write)
