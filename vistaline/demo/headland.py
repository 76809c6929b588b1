"""Dusk at Sallow Head: sky, far shore, sea, headland with its tower, the keeper, near reeds.

One canvas of 4608 x 2592 pixels; every layer keeps its coordinates. The frame sees the middle
five sixths, so the camera may travel before an edge shows.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from vistaline.demo.drawing import (
    Colour,
    Mask,
    Picture,
    Points,
    blank,
    curve,
    fill,
    glow,
    gradient,
    mix,
    noise,
    paint,
    polygon_mask,
)

__all__ = ["CANVAS", "HORIZON", "LAYERS", "RIDGE", "TOWER", "clear_sky", "coat_tails"]

CANVAS = (4608, 2592)
_W, _H = CANVAS
HORIZON = 0.585
_SUN = (0.315 * _W, 0.548 * _H)


def _rows() -> np.ndarray:
    return np.broadcast_to(np.linspace(0, 1, _H, dtype=np.float32)[:, None], (_H, _W))


def _pixels(points: Points) -> Points:
    """Points as fractions of width and height, in pixels."""
    return [(x * _W, y * _H) for x, y in points]


def _shape(points: Points) -> Mask:
    return polygon_mask(_W, _H, _pixels(points))


def _fill(picture: Picture, points: Points, colour: Colour, *, opacity: float = 1) -> None:
    fill(picture, _pixels(points), colour, opacity=opacity)


def sky() -> Picture:
    """Return the evening sky with a low sun, drifting cloud and the first stars; opaque."""
    return _sky(1.0)


def clear_sky() -> Picture:
    """Return the same without its clouds."""
    return _sky(0.0)


def _sky(clouds: float) -> Picture:
    picture = gradient(
        _rows(),
        [
            (0.00, (24, 38, 74)),
            (0.22, (58, 72, 116)),
            (0.38, (124, 100, 134)),
            (0.48, (206, 132, 118)),
            (0.56, (246, 178, 116)),
            (0.60, (252, 208, 142)),
            (1.00, (214, 150, 120)),
        ],
    )
    everywhere = np.ones((_H, _W), np.float32)
    warm = glow(_W, _H, _SUN, 0.42 * _H)
    paint(picture, warm, (255, 196, 120), opacity=0.55)
    cloud = noise(_W, _H, cells=(5, 16), octaves=6, seed=3)
    streak = noise(_W, _H, cells=(2, 26), octaves=5, seed=8)
    cover = np.clip((0.62 * cloud + 0.38 * streak - 0.50) * 5.5, 0, 1)
    cover *= np.clip((_rows() - 0.05) * 6, 0, 1) * np.clip((0.585 - _rows()) * 14, 0, 1)
    cover *= np.float32(clouds)
    lit = np.clip(cv2.GaussianBlur(cover, (0, 0), 26) * 1.2 - 0.25, 0, 1)
    body = mix((250, 170, 128), (98, 78, 118), lit)
    body = body + (warm * 46)[..., None]
    paint(picture, cover, np.clip(body, 0, 255), opacity=0.62)
    rng = np.random.default_rng(11)
    stars = np.zeros((_H, _W), np.float32)
    for _ in range(260):
        x, y = rng.random() * _W, rng.random() ** 1.6 * 0.34 * _H
        cv2.circle(stars, (int(x * 16), int(y * 16)), int(16 * (1 + 2.2 * rng.random() ** 3)),
                   float(0.25 + 0.75 * rng.random()), -1, cv2.LINE_AA, 4)  # fmt: skip
    paint(picture, cv2.GaussianBlur(stars, (0, 0), 1.1) * (1 - cover), (240, 238, 255), opacity=0.8)
    sun = np.clip((0.047 * _H - np.hypot(*_offsets(_SUN))) / 3 + 0.5, 0, 1).astype(np.float32)
    paint(picture, glow(_W, _H, _SUN, 0.10 * _H), (255, 226, 164), opacity=0.75)
    paint(picture, sun, (255, 241, 205))
    grain = noise(_W, _H, cells=(_W / 4, _H / 4), octaves=2, seed=5)
    picture[..., :3] += ((grain - 0.5) * 5)[..., None] * everywhere[..., None]
    return picture


def _offsets(centre: tuple[float, float]) -> tuple[np.ndarray, np.ndarray]:
    y, x = np.mgrid[:_H, :_W].astype(np.float32)
    return x - centre[0], y - centre[1]


def far_shore() -> Picture:
    """Return two hazy ridges beyond the bay."""
    picture = blank(_W, _H)
    for seed, base, height, colour, low in (
        (21, 0.567, 0.075, (150, 116, 136), (226, 164, 138)),
        (34, 0.580, 0.045, (108, 90, 122), (176, 130, 132)),
    ):
        ridge = noise(_W, 1, cells=(7, 1), octaves=7, seed=seed)[0]
        top = (base - height * (ridge - 0.18) * np.linspace(0.5, 1.35, _W)) * _H
        y = np.arange(_H, dtype=np.float32)[:, None]
        mask = np.clip(y - top[None] + 0.5, 0, 1) * np.clip(0.625 * _H - y, 0, 1)
        depth = np.clip((y - top[None]) / (0.07 * _H), 0, 1)
        paint(picture, mask.astype(np.float32), mix(colour, low, depth.astype(np.float32)))
    return picture


def sea() -> Picture:
    """Return the water up to the horizon, with waves that grow nearer and the sun's path."""
    rows = _rows()
    depth = np.clip((rows - HORIZON) / (1 - HORIZON), 0, 1)
    picture = gradient(
        depth,
        [
            (0.00, (240, 178, 136)),
            (0.05, (206, 146, 132)),
            (0.20, (124, 106, 132)),
            (0.50, (56, 68, 104)),
            (1.00, (20, 32, 60)),
        ],
    )
    # Waves: noise sampled along 1/depth, so that crests come closer together far away.
    x, _ = _offsets((_SUN[0], 0))
    near = 0.035 + depth
    field = noise(2048, 2048, cells=(18, 120), octaves=5, seed=17)
    u = 2047 - np.abs((x / near * 0.16 + 700) % 4094 - 2047)
    v = (260.0 / near) % 2047
    waves = cv2.remap(field, u.astype(np.float32), v.astype(np.float32), cv2.INTER_LINEAR)
    crest = np.clip((waves - 0.53) * 7, 0, 1)
    trough = np.clip((0.47 - waves) * 7, 0, 1)
    strength = np.clip(depth * 9, 0.1, 1)
    paint(picture, trough * strength, (14, 22, 48), opacity=0.34)
    paint(picture, crest * strength, (236, 168, 140), opacity=0.26)
    path = np.exp(-((x / (0.035 * _W + 0.16 * _W * depth)) ** 2)).astype(np.float32)
    glitter = np.clip((waves - 0.50) * 10, 0, 1) * path
    paint(picture, path, (255, 190, 120), opacity=0.22)
    paint(picture, glitter * np.clip(1.25 - depth, 0, 1), (255, 226, 160), opacity=0.85)
    picture[..., 3] = np.clip(rows * _H - HORIZON * _H + 0.5, 0, 1)
    return picture


RIDGE = curve(
    [(0.430, 0.745), (0.485, 0.688), (0.53, 0.640), (0.60, 0.590), (0.68, 0.548),
     (0.76, 0.520), (0.85, 0.500), (0.93, 0.486), (1.00, 0.478)]
)  # fmt: skip
"""The head's upper edge, as shares of the canvas."""
TOWER = 0.718
"""Where the tower stands, across."""


def headland() -> Picture:
    """Return the headland with the keeper's cottage and the tower, its lamp lit."""
    picture = blank(_W, _H)
    mask = _shape([*RIDGE, (1.0, 1.0), (0.36, 1.0), (0.375, 0.90), (0.40, 0.82)])
    turf = noise(_W, _H, cells=(90, 60), octaves=4, seed=41)
    rock = noise(_W, _H, cells=(26, 8), octaves=6, seed=42)
    top = np.interp(np.arange(_W) / _W, [p[0] for p in RIDGE], [p[1] for p in RIDGE])
    below = np.clip((_rows() - top[None].astype(np.float32)) / 0.20, 0, 1)
    colour = mix((86, 84, 78), (30, 36, 50), np.clip(below * 1.25, 0, 1))
    colour = colour * (0.80 + 0.42 * turf)[..., None] * (0.84 + 0.34 * rock)[..., None]
    rim = np.exp(-below * 26) * np.clip(1.15 - np.abs(np.linspace(0, 1, _W) - 0.42) * 1.6, 0, 1)
    colour = colour + rim.astype(np.float32)[..., None] * np.float32([112, 70, 40])
    paint(picture, mask, colour)
    _ledges(picture, mask, rock)
    _cottage(picture)
    _tower(picture)
    return picture


def _ledges(picture: Picture, mask: Mask, rock: Mask) -> None:
    """The cliff on the seaward side: strata that catch the last light."""
    x = np.linspace(0, 1, _W, dtype=np.float32)[None]
    cliff = np.clip((0.60 - x) * 9, 0, 1) * mask
    strata = 0.5 + 0.5 * np.sin((_rows() * 190 + rock * 22 + x * 40).astype(np.float32))
    paint(picture, cliff * np.clip(strata - 0.55, 0, 1), (206, 128, 92), opacity=0.50)
    paint(picture, cliff * np.clip(0.42 - strata, 0, 1), (14, 18, 30), opacity=0.75)


def _cottage(picture: Picture) -> None:
    _fill(picture, ([(0.808, 0.528), (0.808, 0.468), (0.872, 0.462), (0.872, 0.524)]),
          (176, 150, 142))  # fmt: skip
    _fill(picture, ([(0.800, 0.472), (0.816, 0.432), (0.866, 0.428), (0.881, 0.464)]),
          (52, 44, 58))  # fmt: skip
    _fill(picture, ([(0.852, 0.440), (0.852, 0.408), (0.861, 0.407), (0.861, 0.440)]),
          (66, 54, 62))  # fmt: skip
    for x in (0.821, 0.848):
        window = _shape([(x, 0.505), (x, 0.484), (x + 0.011, 0.483), (x + 0.011, 0.504)])
        paint(picture, cv2.GaussianBlur(window, (0, 0), 22), (255, 190, 96), opacity=0.5)
        paint(picture, window, (255, 214, 132))
        bar = [(x + 0.005, 0.505), (x + 0.005, 0.483), (x + 0.006, 0.483), (x + 0.006, 0.505)]
        _fill(picture, bar, (84, 62, 52))


def _tower(picture: Picture) -> None:
    centre, foot, neck = TOWER, 0.560, 0.232
    half = np.interp(np.linspace(0, 1, _H), [neck, foot], [0.0165, 0.0285])
    x = (np.arange(_W, dtype=np.float32)[None] / _W - centre) / half[:, None].astype(np.float32)
    rows = _rows()
    mask = np.clip((1 - np.abs(x)) * half[:, None] * _W + 0.5, 0, 1)
    mask = mask * ((rows > neck) & (rows < foot))
    # Lit from the sun's side, round like a drum.
    light = np.clip(0.74 - 0.46 * x - 0.34 * x**2, 0.10, 1)
    brick = noise(_W, _H, cells=(300, 170), octaves=2, seed=61)
    white = mix((66, 62, 84), (255, 232, 208), light) * (0.94 + 0.12 * brick)[..., None]
    red = mix((52, 20, 32), (206, 72, 54), light) * (0.92 + 0.16 * brick)[..., None]
    paint(picture, mask.astype(np.float32), white)
    for top, bottom in ((0.318, 0.386), (0.452, 0.520)):
        band = mask * np.clip((rows - top) * _H, 0, 1) * np.clip((bottom - rows) * _H, 0, 1)
        paint(picture, band.astype(np.float32), red)
    for y in (0.285, 0.415):
        window = [(centre - 0.004, y + 0.024), (centre - 0.004, y), (centre + 0.003, y),
                         (centre + 0.003, y + 0.024)]  # fmt: skip
        _fill(picture, window, (255, 206, 120))
    door = [(centre - 0.006, foot), (centre - 0.006, 0.532), (centre + 0.006, 0.532),
                   (centre + 0.006, foot)]  # fmt: skip
    _fill(picture, door, (38, 40, 56))
    _lantern_room(picture, centre, neck)


def _lantern_room(picture: Picture, centre: float, neck: float) -> None:
    iron: Colour = (34, 38, 54)

    def box(half: float, top: float, bottom: float) -> Points:
        return [(centre - half, bottom), (centre - half, top), (centre + half, top),
                (centre + half, bottom)]  # fmt: skip

    halo = glow(_W, _H, (centre * _W, (neck - 0.030) * _H), 0.085 * _H)
    _fill(picture, box(0.0125, neck - 0.056, neck - 0.004), (255, 236, 170))
    for i in range(-2, 3):
        x = centre + i * 0.0058
        bar = [(x - 0.0005, neck), (x - 0.0005, neck - 0.056), (x + 0.0005, neck - 0.056),
                      (x + 0.0005, neck)]  # fmt: skip
        _fill(picture, bar, iron)
    _fill(picture, box(0.0240, neck - 0.006, neck + 0.006), iron)
    for i in range(-7, 8):
        x = centre + i * 0.0033
        post = [(x - 0.0003, neck), (x - 0.0003, neck - 0.024), (x + 0.0003, neck - 0.024),
                       (x + 0.0003, neck)]  # fmt: skip
        _fill(picture, post, iron)
    _fill(picture, box(0.0240, neck - 0.0250, neck - 0.0235), iron)
    dome = curve([(centre - 0.0150, neck - 0.055), (centre - 0.0105, neck - 0.078),
                  (centre, neck - 0.092), (centre + 0.0105, neck - 0.078),
                  (centre + 0.0150, neck - 0.055)])  # fmt: skip
    _fill(picture, (dome), (92, 36, 40))
    _fill(picture, box(0.0009, neck - 0.118, neck - 0.090), iron)
    paint(picture, halo, (255, 222, 150), opacity=0.62)


def beam() -> Picture:
    """Return the lamp's beam: light with almost no body, reaching out to sea."""
    picture = blank(_W, _H)
    x, y = _offsets((0.718 * _W, 0.202 * _H))
    along = np.maximum(-x, 1) / _W
    spread = np.abs(y + 0.055 * x) / (0.010 * _H + 0.135 * _H * along)
    light = np.exp(-(spread**2) * 2.2) * np.exp(-along * 2.6) * (x < -0.010 * _W)
    mist = noise(_W, _H, cells=(8, 10), octaves=4, seed=71)
    picture[..., :3] = (255, 236, 190)
    picture[..., 3] = np.clip(light * (0.34 + 0.24 * mist), 0, 1)
    return picture


def keeper() -> Picture:
    """Return the keeper on the near bank, lantern in hand."""
    picture = blank(_W, _H)
    bank = curve([(0.0, 0.842), (0.10, 0.850), (0.22, 0.868), (0.33, 0.874), (0.42, 0.872),
                  (0.50, 0.890), (0.57, 0.925), (0.63, 0.975), (0.655, 1.0)])  # fmt: skip
    mask = _shape([*bank, (0.0, 1.0)])
    grass = noise(_W, _H, cells=(160, 50), octaves=4, seed=52)
    top = np.interp(np.arange(_W) / _W, [p[0] for p in bank], [p[1] for p in bank])
    below = np.clip((_rows() - top[None].astype(np.float32)) / 0.10, 0, 1)
    colour = mix((62, 58, 56), (15, 18, 28), below) * (0.72 + 0.56 * grass)[..., None]
    paint(picture, mask, colour)
    rng = np.random.default_rng(53)
    blades = []
    for _ in range(900):
        x = rng.random() * 0.60
        base = float(np.interp(x, [p[0] for p in bank], [p[1] for p in bank])) + 0.006
        lean, tall = rng.normal(0.002, 0.003), 0.008 + 0.020 * rng.random()
        blades.append([((x - 0.0006) * _W, base * _H), ((x + lean) * _W, (base - tall) * _H),
                       ((x + 0.0006) * _W, base * _H)])  # fmt: skip
    paint(picture, polygon_mask(_W, _H, *blades), (40, 38, 42))
    _figure(picture)
    return picture


def figure() -> Picture:
    """Return the keeper alone, without the bank, on the whole canvas."""
    picture = blank(_W, _H)
    _figure(picture)
    return picture


def coat_tails() -> Picture:
    """Return the keeper's coat from his waist down, where he wears it, on the whole canvas."""
    picture = blank(_W, _H)
    _fill(picture, _on_keeper([(-0.153, 0.46), (-0.162, 0.30), (-0.168, 0.11), (0.0, 0.085),
                               (0.178, 0.11), (0.160, 0.30), (0.151, 0.46), (0.0, 0.47),
                               (-0.153, 0.46)]), _COAT)  # fmt: skip
    _fill(picture, _on_keeper([(-0.153, 0.46), (-0.162, 0.30), (-0.170, 0.115), (-0.138, 0.11),
                               (-0.134, 0.30), (-0.131, 0.46), (-0.153, 0.46)]),
          (196, 116, 84), opacity=0.85)  # fmt: skip
    # Lit by the lantern as the rest of him is, and without a seam where it begins.
    begins = _KEEPER[1] - 0.47 * _KEEPER[2]
    alpha = picture[..., 3] * np.clip((_rows() - begins) / 0.03, 0, 1)
    paint(picture, glow(_W, _H, _lantern(), 0.042 * _H), (255, 190, 96), opacity=0.60)
    picture[..., 3] = alpha
    return picture


def _lantern() -> tuple[float, float]:
    """Return the middle of his lantern's light, in pixels."""
    across, foot, tall = _KEEPER
    return (across + 0.275 * tall * _H / _W) * _W, (foot - 0.375 * tall) * _H


_COAT: Colour = (34, 36, 50)
_KEEPER = (0.405, 0.884, 0.235)
"""Where he stands, his foot, and how tall he is, as shares of the canvas."""


def _on_keeper(points: Points, *, smooth: bool = True) -> Points:
    """Return points told in his own height, from his foot up, as shares of the canvas."""
    across, foot, tall = _KEEPER
    placed = [(across + x * tall * _H / _W, foot - y * tall) for x, y in points]
    return curve(placed) if smooth else placed


def _figure(picture: Picture) -> None:
    at, coat = _on_keeper, _COAT
    _fill(
        picture,
        at([(-0.10, 0.0), (-0.12, 0.16), (-0.03, 0.20), (-0.02, 0.0)], smooth=False),
        (22, 22, 30),
    )
    _fill(
        picture,
        at([(0.03, 0.0), (0.02, 0.20), (0.11, 0.16), (0.12, 0.0)], smooth=False),
        (22, 22, 30),
    )
    _fill(picture, at([(-0.16, 0.13), (-0.155, 0.40), (-0.15, 0.62), (-0.13, 0.74), (-0.06, 0.80),
                       (0.04, 0.80), (0.12, 0.75), (0.15, 0.62), (0.15, 0.40), (0.17, 0.13),
                       (0.0, 0.10), (-0.16, 0.13)]), coat)  # fmt: skip
    # The seaward side takes the sunset.
    _fill(picture, at([(-0.165, 0.14), (-0.155, 0.45), (-0.150, 0.62), (-0.128, 0.74),
                       (-0.105, 0.73), (-0.125, 0.60), (-0.130, 0.40), (-0.135, 0.14),
                       (-0.165, 0.14)]), (196, 116, 84), opacity=0.85)  # fmt: skip
    arm = [(0.09, 0.74), (0.155, 0.66), (0.205, 0.54), (0.255, 0.47), (0.285, 0.48), (0.262, 0.53),
           (0.225, 0.62), (0.18, 0.74), (0.12, 0.78), (0.09, 0.74)]  # fmt: skip
    _fill(picture, at(arm), (28, 30, 42))
    _fill(picture, at([(-0.052, 0.80), (-0.056, 0.90), (-0.02, 0.945), (0.03, 0.94), (0.058, 0.88),
                       (0.045, 0.80), (-0.052, 0.80)]), (92, 66, 60))  # fmt: skip
    _fill(
        picture,
        at([(-0.060, 0.84), (-0.062, 0.90), (-0.050, 0.905), (-0.044, 0.84)]),
        (224, 148, 108),
    )
    _fill(picture, at([(-0.105, 0.895), (-0.075, 0.915), (-0.062, 0.975), (0.0, 1.0), (0.058, 0.975),
                       (0.070, 0.91), (0.062, 0.895), (-0.02, 0.905), (-0.105, 0.895)]), (26, 28, 40))  # fmt: skip
    lamp = _lantern()
    paint(picture, glow(_W, _H, lamp, 0.042 * _H), (255, 190, 96), opacity=0.60)
    _fill(
        picture,
        at([(0.240, 0.425), (0.235, 0.325), (0.315, 0.325), (0.310, 0.425)], smooth=False),
        (40, 34, 32),
    )
    _fill(
        picture,
        at([(0.252, 0.412), (0.249, 0.338), (0.301, 0.338), (0.298, 0.412)], smooth=False),
        (255, 226, 140),
    )
    _fill(picture, at([(0.245, 0.425), (0.275, 0.462), (0.305, 0.425)], smooth=False), (40, 34, 32))
    paint(picture, glow(_W, _H, lamp, 0.013 * _H), (255, 244, 206), opacity=0.9)


def reeds() -> Picture:
    """Return the reeds closest to the camera, thick at both sides, with seed heads."""
    picture = blank(_W, _H)
    rng = np.random.default_rng(91)
    for x, tall, tone in sorted(
        ((_reed_place(rng), 0.16 + 0.34 * rng.random() ** 1.3, rng.random()) for _ in range(150)),
        key=lambda reed: -reed[1],
    ):
        lean = rng.normal(0.018, 0.020)
        width = 0.0016 + 0.0016 * rng.random()
        stem = curve(
            [(x, 1.01), (x + lean * 0.25, 1.01 - tall * 0.45), (x + lean, 1.01 - tall)], 10
        )
        left = [(px - width * (1 - i / len(stem)), py) for i, (px, py) in enumerate(stem)]
        right = [(px + width * (1 - i / len(stem)), py) for i, (px, py) in enumerate(stem)]
        colour = (14 + 22 * tone, 15 + 17 * tone, 24 + 14 * tone)
        _fill(picture, ([*left, *reversed(right)]), colour)
        lit = [(px + width * 0.35 * (1 - i / len(stem)), py) for i, (px, py) in enumerate(stem)]
        if tone > 0.55:
            _fill(picture, ([*left, *reversed(lit)]), (148, 92, 72), opacity=0.4)
        if tone < 0.5:
            hx, hy = x + lean * 0.97, 1.01 - tall
            head = curve([(hx - 0.0030, hy + 0.060), (hx - 0.0042, hy + 0.030), (hx, hy - 0.006),
                          (hx + 0.0042, hy + 0.030), (hx + 0.0030, hy + 0.060)], 10)  # fmt: skip
            _fill(picture, (head), (44, 32, 32))
        else:
            blade = curve([(x + lean * 0.2, 1.0 - tall * 0.35), (x + lean * 0.2 + 0.022, 1 - tall * 0.62),
                           (x + lean * 0.2 + 0.052, 1 - tall * 0.60)], 10)  # fmt: skip
            back = [(px, py + 0.010 * (1 - i / len(blade))) for i, (px, py) in enumerate(blade)]
            _fill(picture, ([*blade, *reversed(back)]), colour)
    return picture


def _reed_place(rng: np.random.Generator) -> float:
    side = rng.random()
    if side < 0.5:
        return float(0.30 * rng.random() ** 1.5)
    if side < 0.92:
        return float(1 - 0.34 * rng.random() ** 1.6)
    return float(rng.random())


LAYERS: dict[str, tuple[float, Callable[[], Picture]]] = {
    "Sky": (14.0, sky),
    "Far shore": (10.0, far_shore),
    "Sea": (7.0, sea),
    "Beam": (5.1, beam),
    "Headland": (5.0, headland),
    "Keeper": (2.0, keeper),
    "Reeds": (1.15, reeds),
}
"""Layer by name: its distance in metres and the function that draws it, far to near."""
