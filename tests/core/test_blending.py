"""Blend modes against skia's on a table of colour pairs; W3C Compositing and Blending Level 1."""

from __future__ import annotations

import numpy as np
import pytest
import skia

from tests.conftest import make_shot, pyramid_of
from vistaline.core.looks.blending import Blend
from vistaline.core.picture.colour import encode_srgb, linear16_from_srgb, linearise_srgb
from vistaline.core.render.frame import Renderer

SKIA = {
    Blend.MULTIPLY: skia.BlendMode.kMultiply,
    Blend.SCREEN: skia.BlendMode.kScreen,
    Blend.OVERLAY: skia.BlendMode.kOverlay,
    Blend.DARKEN: skia.BlendMode.kDarken,
    Blend.LIGHTEN: skia.BlendMode.kLighten,
    Blend.COLOR_DODGE: skia.BlendMode.kColorDodge,
    Blend.COLOR_BURN: skia.BlendMode.kColorBurn,
    Blend.HARD_LIGHT: skia.BlendMode.kHardLight,
    Blend.SOFT_LIGHT: skia.BlendMode.kSoftLight,
    Blend.DIFFERENCE: skia.BlendMode.kDifference,
    Blend.EXCLUSION: skia.BlendMode.kExclusion,
    Blend.HUE: skia.BlendMode.kHue,
    Blend.SATURATION: skia.BlendMode.kSaturation,
    Blend.COLOR: skia.BlendMode.kColor,
    Blend.LUMINOSITY: skia.BlendMode.kLuminosity,
}
VALUES = (0, 40, 128, 200, 255)
COLOURS = np.array([(r, g, b) for r in VALUES for g in VALUES for b in (20, 128, 240)], np.uint8)
SIDE = 4
"""Pixels a side of one patch."""


def patches(colours: np.ndarray) -> np.ndarray:
    """A column of patches for each of 15 colours, (height, width, 3)."""
    table = colours.reshape(-1, 15, 3)
    return table.repeat(SIDE, axis=0).repeat(SIDE, axis=1)


def pictures() -> tuple[np.ndarray, np.ndarray]:
    """Back and front: each colour meets others of the table."""
    return patches(COLOURS), patches(np.roll(COLOURS[::-1], 7, axis=0))


def blended(blend: Blend, alpha: float = 1.0) -> np.ndarray:
    back, front = pictures()
    height, width = back.shape[:2]
    shot = make_shot(
        {"back": (width, height), "front": (width, height)},
        frame={"width": width, "height": height, "duration": 1},
        layers=[
            {"name": "back", "picture": "back", "distance": 2},
            {"name": "front", "picture": "front", "distance": 1, "blend": blend, "opacity": alpha},
        ],
        route={"framings": [{"frame": 0}]},
    )
    linear = linear16_from_srgb(256)
    pyramids = {
        key: pyramid_of(np.dstack([linear[codes], np.full((height, width), 65535, np.uint16)]))
        for key, codes in (("back", back), ("front", front))
    }
    return Renderer(shot, pyramids).rgb(0)[SIDE // 2 :: SIDE, SIDE // 2 :: SIDE]


@pytest.mark.parametrize("blend", list(SKIA))
def test_a_mode_is_skias(blend: Blend) -> None:
    """Within two codes of 255: skia rounds to 8 bits on the way."""
    back, front = (picture[::SIDE, ::SIDE] for picture in pictures())
    drawn = skia.Surface(back.shape[1], back.shape[0])
    canvas = drawn.getCanvas()
    for picture, mode in ((back, skia.BlendMode.kSrc), (front, SKIA[blend])):
        solid = np.dstack([picture, np.full(picture.shape[:2], 255, np.uint8)])
        image = skia.Image.fromarray(
            np.ascontiguousarray(solid), colorType=skia.kRGBA_8888_ColorType
        )
        canvas.drawImage(image, 0, 0, skia.SamplingOptions(), skia.Paint(BlendMode=mode))
    theirs = drawn.toarray(colorType=skia.kRGBA_8888_ColorType)[..., :3]
    assert np.abs(blended(blend).astype(int) - theirs).max() <= 2


@pytest.mark.parametrize(("blend", "sign"), [(Blend.ADD, 1), (Blend.SUBTRACT, -1)])
def test_light_is_added_and_taken_away(blend: Blend, sign: int) -> None:
    back, front = (linearise_srgb(picture[::SIDE, ::SIDE] / 255) for picture in pictures())
    expected = encode_srgb(np.clip(back + sign * front, 0, 1)) * 255
    assert np.abs(blended(blend) - expected).max() <= 1


@pytest.mark.parametrize("blend", [Blend.MULTIPLY, Blend.LUMINOSITY, Blend.ADD])
def test_opacity_mixes_in_linear_light(blend: Blend) -> None:
    """Section 9.1.4, on what the blend gives: a part of the way from the back to it."""
    back = linearise_srgb(pictures()[0][::SIDE, ::SIDE] / 255)
    whole = linearise_srgb(blended(blend) / 255)
    expected = encode_srgb(back + 0.4 * (whole - back)) * 255
    assert np.abs(blended(blend, 0.4) - expected).max() <= 2
