"""A wind gets up at Sallow Head: clouds pass by, reeds bend, a flag of cloth flies, gulls cross."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np

from vistaline.core import edits
from vistaline.core.files import write_atomically
from vistaline.core.picture.clip import Clip
from vistaline.core.picture.clips import inspect_clip
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.layer import PictureRef
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.running import Held, Running
from vistaline.core.shot.shot import Layer, Shot
from vistaline.core.shot.shows import PictureShown
from vistaline.core.shot.stands import Box, Taken
from vistaline.demo.drawing import Picture, blank, curve, fill, mix, noise, paint, to_codes
from vistaline.demo.headland import CANVAS, clear_sky, coat_tails

__all__ = ["Windy", "draw_windy", "wind_gets_up"]

_CLOUDS = (3072, 900)
_FLAG = (900, 560)
_GULLS = (960, 360)
_FRAMES = 48
_TAILS = (1750, 1996, 1988, 2246)
"""Of the canvas: left, upper, right and lower edge of the coat below the waist, with some room."""
_POLE = (0.634, 0.574, 0.352)
"""Of the canvas: across, foot and top."""

Windy = dict[str, PictureRef]
"""What is drawn for this shot, by its key."""


def draw_windy(folder: Path) -> Windy:
    """Draw what only this shot shows, and write its clip."""
    files = {
        "clear-sky": _written(folder, "clear-sky.jpg", clear_sky()),
        "clouds": _written(folder, "clouds.png", _clouds()),
        "flag": _written(folder, "flag.png", _flag()),
        "pole": _written(folder, "pole.png", _pole()),
        "tails": _written(
            folder, "tails.png", coat_tails()[_TAILS[1] : _TAILS[3], _TAILS[0] : _TAILS[2]]
        ),
    }
    clip = _write_gulls(folder / "pictures" / "gulls.webm")
    files["gulls"] = PictureRef(
        file="pictures/gulls.webm",
        width=clip.width,
        height=clip.height,
        frames=clip.frames,
        rate=clip.rate,
    )
    return files


def wind_gets_up(dusk: Shot, drawn: Windy) -> Shot:
    """Return dusk at the head with all that moves in a wind."""
    layers = {layer.id: layer for layer in dusk.layers}
    width, height = CANVAS
    across, foot, top = _POLE
    tall = (foot - top) * height

    def box(left: float, upper: float, wide: float, high: float) -> Box:
        return left * width, upper * height, wide, high

    flag = 0.066 * width
    left, upper, right, lower = _TAILS
    own = {
        "Clouds": ("clouds", box(0.0, 0.06, width, 0.48 * height), 12.0),
        "Gulls": ("gulls", box(0.40, 0.24, 0.26 * width, 0.26 * width * 0.375), 6.0),
        "Pole": ("pole", box(across, top, 0.02 * tall, tall), 4.99),
        "Coat tails": (
            "tails",
            (float(left), float(upper), float(right - left), float(lower - upper)),
            1.995,
        ),
        "Flag": (
            "flag",
            box(across + 0.012 * tall / width, top + 0.012, flag, flag * _FLAG[1] / _FLAG[0]),
            4.98,
        ),
    }
    made = {
        name: Layer(
            name=name, shows=PictureShown(picture=key), stands=Taken(box=place), distance=distance
        )
        for name, (key, place, distance) in own.items()
    }
    sky = layers["sky"].evolve(shows=PictureShown(picture="clear-sky"))
    runs = Running(ends=Held.LOOPED, begins=-20)
    gulls = made["Gulls"].with_shows(runs=runs)
    shot = Shot(
        name="A wind gets up",
        frame=dusk.frame.evolve(duration=168),
        background=dusk.background,
        taking_camera=dusk.taking_camera,
        pictures={key: ref for key, ref in dusk.pictures.items() if key != "sky"} | drawn,
        layers=(
            sky,
            made["Clouds"],
            layers["far-shore"],
            layers["sea"],
            gulls,
            layers["headland"],
            made["Pole"],
            made["Flag"],
            layers["keeper"],
            made["Coat tails"],
            layers["reeds"],
        ),
        cameras=(
            Camera(
                route=Route(
                    framings=(
                        Framing(frame=0, name="The bay", position=(-0.06, 0.0, 0.0)),
                        Framing(
                            frame=167,
                            name="Towards the flag",
                            position=(0.12, 0.02, -0.3),
                            pan=-5.0,
                            tilt=1.2,
                            lens=50,
                            ease="ease-in-out",
                        ),
                    )
                )
            ),
        ),
    )

    def change(verb: str, **values: Any) -> None:
        nonlocal shot
        shot = edits.apply(shot, verb, values)

    change("set_drift", layer="clouds", drifts=True, percent=0.7)
    change("set_sway", layer="reeds", kind="bends", percent=4, seconds=2.6, uneven=70, travel=1.4)
    change(
        "set_cloth", layer="flag", held="left", wide=1.6, wind=6.5, direction=-14, gusts=60,
        swirls=55, folds=70, grid=18, settles=3,
    )  # fmt: skip
    change(
        "set_cloth", layer="coat-tails", held="head", wide=0.9, weight=0.3, wind=7, direction=20,
        gusts=70, swirls=40, folds=45, grid=14, settles=3,
    )  # fmt: skip
    return shot


def _written(folder: Path, name: str, picture: Picture) -> PictureRef:
    codes = to_codes(picture)
    if name.endswith(".jpg"):
        bgr = cv2.cvtColor(codes, cv2.COLOR_RGBA2BGR)
        _, data = cv2.imencode(".jpg", bgr, [cv2.IMWRITE_JPEG_QUALITY, 95])
    else:
        bgra = cv2.cvtColor(codes, cv2.COLOR_RGBA2BGRA)
        _, data = cv2.imencode(".png", bgra, [cv2.IMWRITE_PNG_COMPRESSION, 3])
    write_atomically(folder / "pictures" / name, data.tobytes())
    height, width = codes.shape[:2]
    return PictureRef(file=f"pictures/{name}", width=width, height=height)


def _clouds() -> Picture:
    """Clouds whose right edge goes on as their left begins."""
    width, height = _CLOUDS
    more = width // 3
    body = noise(width + more, height, cells=(6, 7), octaves=6, seed=31)
    streak = noise(width + more, height, cells=(3, 22), octaves=5, seed=32)
    field = 0.66 * body + 0.34 * streak
    # What is beyond its end fades in from its start: so the two ends meet.
    share = np.linspace(0, 1, more, dtype=np.float32) ** 1.0
    joined = field[:, :width].copy()
    spread = np.sqrt(share**2 + (1 - share) ** 2)
    joined[:, :more] = (
        0.5 + (share * (field[:, :more] - 0.5) + (1 - share) * (field[:, width:] - 0.5)) / spread
    )
    rows = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    cover = np.clip((joined - 0.52) * 5, 0, 1)
    cover *= np.clip(rows * 5, 0, 1) * np.clip((1 - rows) * 3.2, 0, 1)
    wide = cv2.copyMakeBorder(cover, 0, 0, 64, 64, cv2.BORDER_WRAP)
    lit = np.clip(cv2.GaussianBlur(wide, (0, 0), 16)[:, 64:-64] * 1.25 - 0.2, 0, 1)
    picture = np.empty((height, width, 4), np.float32)
    low = mix((255, 190, 140), (112, 84, 118), lit)
    high = mix((190, 150, 158), (64, 62, 104), lit)
    picture[..., :3] = high + rows[..., None] * (low - high)
    picture[..., 3] = cover * 0.78
    return picture


def _flag() -> Picture:
    """The trust's flag: a light with its beams over waves, on a field in two colours."""
    width, height = _FLAG
    picture = blank(width, height)
    fill(picture, [(0, 0), (width, 0), (width, height), (0, height)], (226, 214, 190))
    fill(picture, [(0, 0.66 * height), (width, 0.66 * height), (width, height), (0, height)],
         (34, 62, 92))  # fmt: skip
    for n in range(3):
        y = (0.70 + 0.10 * n) * height
        crest = [(x, y + 9 * np.sin(x / 46 + n)) for x in range(0, width + 1, 12)]
        back = [(x, y + 14) for x, y in reversed(crest)]
        fill(picture, [*crest, *[(x, yy) for (x, yy) in back]], (188, 206, 210), opacity=0.8)
    middle, lamp = 0.40 * width, 0.235 * height
    for left, right in ((-1.0, -0.62), (0.62, 1.0)):
        fill(
            picture,
            [(middle, lamp), (middle + 420 * left, lamp - 120 * abs(left)),
             (middle + 420 * left, lamp + 20 + 70 * abs(right))],
            (232, 178, 84), opacity=0.9,
        )  # fmt: skip
    red = (168, 52, 46)
    fill(picture, [(middle - 34, 0.68 * height), (middle - 20, 0.3 * height),
                   (middle + 20, 0.3 * height), (middle + 34, 0.68 * height)], red)  # fmt: skip
    fill(picture, [(middle - 29, 0.52 * height), (middle - 25, 0.42 * height),
                   (middle + 25, 0.42 * height), (middle + 29, 0.52 * height)],
         (240, 232, 214))  # fmt: skip
    fill(picture, [(middle - 18, 0.3 * height), (middle - 18, 0.19 * height),
                   (middle + 18, 0.19 * height), (middle + 18, 0.3 * height)],
         (250, 220, 132))  # fmt: skip
    fill(picture, [(middle - 24, 0.19 * height), (middle, 0.10 * height),
                   (middle + 24, 0.19 * height)], red)  # fmt: skip
    weave = noise(width, height, cells=(width / 3, height / 3), octaves=1, seed=4)
    # The light comes from beyond it: dusk has taken its whites.
    picture[..., :3] *= (0.62 + 0.10 * weave)[..., None] * np.float32([1.0, 0.86, 0.84])
    return picture


def _pole() -> Picture:
    picture = blank(24, 1200)
    picture[:, 4:16, :3] = mix((196, 150, 132), (40, 38, 52), np.linspace(0, 1, 12)[None])
    picture[:, 4:16, 3] = 1
    cv2.circle(picture, (10, 10), 9, (150, 116, 90, 1), -1, cv2.LINE_AA)
    return picture


def _write_gulls(path: Path) -> Clip:
    """Write gulls that beat their wings, twice a second and not all alike; it can be looped."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with av.open(str(path), "w") as out:
        stream: Any = out.add_stream(
            "libvpx-vp9", rate=24, options={"crf": "16", "b": "0", "cpu-used": "4"}
        )
        stream.width, stream.height, stream.pix_fmt = *_GULLS, "yuva420p"
        for n in range(_FRAMES):
            codes = to_codes(_gulls_at(n / _FRAMES))
            out.mux(stream.encode(av.VideoFrame.from_ndarray(codes, "rgba")))
        out.mux(stream.encode())
    return inspect_clip(path, path.name)


def _gulls_at(share: float) -> Picture:
    picture = blank(*_GULLS)
    for x, y, size, beats, late in (
        (0.22, 0.62, 62, 2, 0.0),
        (0.41, 0.36, 48, 2, 0.3),
        (0.55, 0.70, 40, 3, 0.55),
        (0.73, 0.26, 34, 2, 0.75),
        (0.86, 0.52, 28, 3, 0.15),
    ):
        turn = 2 * np.pi * (beats * share + late)
        bob = 0.012 * np.sin(turn - 0.9)
        _gull(picture, (x * _GULLS[0], (y + bob) * _GULLS[1]), size, float(np.sin(turn)))
    return picture


def _gull(picture: Picture, at: tuple[float, float], size: float, beat: float) -> None:
    """Draw one, its wings up (1) or down (-1)."""
    x, y = at
    for side in (-1, 1):
        hand = (x + side * size, y - size * (0.16 + 0.42 * beat))
        wrist = (x + side * 0.48 * size, y - size * (0.30 + 0.16 * beat))
        top = curve([(x, y), wrist, hand], 16)
        under = [(px, py + size * 0.11 * (1 - n / len(top))) for n, (px, py) in enumerate(top)]
        fill(picture, [*top, *reversed(under)], (52, 46, 62))
    body = np.zeros(picture.shape[:2], np.float32)
    cv2.ellipse(body, (int(x), int(y + size * 0.05)), (int(size * 0.14), int(size * 0.09)), 0, 0,
                360, 1.0, -1, cv2.LINE_AA)  # fmt: skip
    paint(picture, body, (58, 50, 64))
