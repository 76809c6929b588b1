"""Colour fields against skia's gradients, which interpolate premultiplied as CSS does."""

from __future__ import annotations

import math

import numpy as np
import pytest
import skia

from vistaline.core.looks.fields import ColourField, Stop, draw_field
from vistaline.core.picture.colour import encode_srgb

STOPS = (
    Stop(at=0, colour="#18203a"),
    Stop(at=0.35, colour="#d8804a", opacity=0.5),
    Stop(at=1, colour="#fff0c8"),
)


def encoded(field: ColourField) -> np.ndarray:
    linear = draw_field(field, side=256).astype(np.float64) / 65535
    alpha = linear[..., 3:]
    straight = encode_srgb(linear[..., :3] / np.maximum(alpha, 1e-6))
    return np.concatenate([straight * alpha, alpha], axis=-1) * 255


@pytest.mark.parametrize(
    ("kind", "angle"), [("linear", 180), ("linear", 90), ("linear", 35), ("radial", 0)]
)
def test_a_gradient_is_skias(kind: str, angle: float) -> None:
    """Within one code of 255 on the mean, three at most: skia draws with 8 bits."""
    ours = encoded(ColourField(kind=kind, stops=STOPS, angle=angle, width=2, height=1))
    height, width = ours.shape[:2]
    assert (width, height) == (256, 128)
    colours = [
        skia.Color(*bytes.fromhex(stop.colour[1:]), round(255 * stop.opacity)) for stop in STOPS
    ]
    places = [stop.at for stop in STOPS]
    middle = skia.Point(width / 2, height / 2)
    flags = skia.GradientShader.Flags.kInterpolateColorsInPremul_Flag
    if kind == "radial":
        shader = skia.GradientShader.MakeRadial(
            middle, math.hypot(width, height) / 2, colours, places, skia.TileMode.kClamp, flags
        )
    else:
        sine, cosine = math.sin(math.radians(angle)), math.cos(math.radians(angle))
        half = (abs(width * sine) + abs(height * cosine)) / 2
        ends = [
            skia.Point(width / 2 + k * half * sine, height / 2 - k * half * cosine) for k in (-1, 1)
        ]
        shader = skia.GradientShader.MakeLinear(ends, colours, places, skia.TileMode.kClamp, flags)
    surface = skia.Surface(width, height)
    surface.getCanvas().drawPaint(skia.Paint(Shader=shader))
    theirs = np.array(surface.makeImageSnapshot().toarray(colorType=skia.kRGBA_8888_ColorType))
    alpha = theirs[..., 3:] / 255
    theirs = np.concatenate([theirs[..., :3] * alpha, theirs[..., 3:]], axis=-1)
    error = np.abs(ours - theirs)
    assert error.mean() < 1 and error.max() <= 3


def test_a_flat_field_is_its_colour() -> None:
    flat = draw_field(ColourField(stops=(Stop(at=0, colour="#ff8000", opacity=0.5),)))
    assert flat.shape == (16, 16, 4) and np.ptp(flat, axis=(0, 1)).max() == 0
    assert flat[0, 0].tolist() == [32768, 7073, 0, 32768]
