"""Pictures in: what is accepted and how it is read, what is refused and in which words."""

import io
import struct
import zlib
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image, ImageCms

from vistaline.core.errors import PictureError
from vistaline.core.picture.colour import linear16_from_srgb, linearise_srgb
from vistaline.core.picture.decode import decode_picture, inspect_picture


def saved(image: Image.Image, kind: str, **options: object) -> bytes:
    data = io.BytesIO()
    image.save(data, kind, **options)
    return data.getvalue()


def png_header(width: int, height: int) -> bytes:
    """A PNG that ends where its pixels begin (PNG specification, 11.2.2 IHDR)."""
    body = b"IHDR" + struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    chunk = struct.pack(">I", 13) + body + struct.pack(">I", zlib.crc32(body))
    return b"\x89PNG\r\n\x1a\n" + chunk + struct.pack(">I", 9) + b"IDAT" + bytes(13)


def odd_ink_profile() -> bytes:
    """A CMYK profile whose first ink prints green: ICC.1:2001-04, 6.1 header, 6.5.7 lut16Type."""
    lab = {0: (100, 0, 0), 1: (60, -60, 50)}  # paper; paper with the first ink

    def node(index: int) -> bytes:
        lightness, a, b = lab.get(index >> 3, (0, 0, 0)) if index & 7 == 0 else (20, 0, 0)
        return struct.pack(">3H", lightness * 0xFF00 // 100, (a + 128) * 256, (b + 128) * 256)

    matrix = struct.pack(">9i", *(65536 * (i % 4 == 0) for i in range(9)))
    ramp = struct.pack(">2H", 0, 65535)
    table = b"".join(node(i) for i in range(16))
    lut = b"mft2" + bytes(4) + bytes([4, 3, 2, 0]) + matrix + struct.pack(">2H", 2, 2)
    lut += ramp * 4 + table + ramp * 3
    white = b"XYZ " + bytes(4) + struct.pack(">3i", 63190, 65536, 54061)
    words = b"odd ink\0"
    desc = b"desc" + bytes(4) + struct.pack(">I", len(words)) + words + bytes(78)
    tags, body, place = b"", b"", 128 + 4 + 12 * 3
    for name, data in ((b"A2B0", lut), (b"wtpt", white), (b"desc", desc)):
        data += bytes(-len(data) % 4)
        tags += name + struct.pack(">2I", place + len(body), len(data))
        body += data
    head = (
        b"lcms"
        + struct.pack(">I", 0x02100000)
        + b"prtrCMYKLab "
        + struct.pack(">6H", 2026, 1, 1, 0, 0, 0)
    )
    head += b"acsp" + bytes(28) + struct.pack(">3i", 63190, 65536, 54061)
    head = struct.pack(">I", place + len(body)) + head
    return head + bytes(128 - len(head)) + struct.pack(">I", 3) + tags + body


@pytest.mark.parametrize("kind", ["PNG", "WEBP", "TIFF"])
def test_lossless_kinds_are_read_exactly(kind: str, photo: np.ndarray) -> None:
    linear = decode_picture(saved(Image.fromarray(photo), kind, lossless=True), f"bay.{kind}")
    np.testing.assert_array_equal(linear[..., :3], linear16_from_srgb(256)[photo])
    assert linear[..., 3].min() == 65535


def test_alpha_is_premultiplied_in_linear_light(photo: np.ndarray) -> None:
    alpha = np.full(photo.shape[:2], 51, np.uint8)
    linear = decode_picture(saved(Image.fromarray(np.dstack([photo, alpha])), "PNG"), "a.png")
    expected = linearise_srgb(photo / 255) * 0.2 * 65535
    np.testing.assert_allclose(linear[..., :3], expected, atol=1.01)


def test_16_bit_png_keeps_its_16_bits(rng: np.random.Generator, tmp_path: Path) -> None:
    codes = rng.integers(0, 65536, (40, 60, 3), dtype=np.uint16)
    path = tmp_path / "deep.png"
    cv2.imwrite(str(path), codes[..., ::-1])
    assert inspect_picture(path, "deep.png").bits == 16
    linear = decode_picture(path, "deep.png")
    np.testing.assert_allclose(linear[..., :3], linearise_srgb(codes / 65535) * 65535, atol=0.51)


@pytest.mark.parametrize("orientation", range(1, 9))
def test_exif_rotation_is_applied_as_pillow_does(orientation: int, photo: np.ndarray) -> None:
    from PIL import ImageOps

    exif = Image.Exif()
    exif[0x0112] = orientation
    data = saved(Image.fromarray(photo), "PNG", exif=exif)
    expected = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(data))))
    linear = decode_picture(data, "turned.png")
    np.testing.assert_array_equal(linear[..., :3], linear16_from_srgb(256)[expected])
    info = inspect_picture(data, "turned.png")
    assert (info.height, info.width) == linear.shape[:2]


def test_a_cmyk_jpeg_with_a_profile_is_converted_by_it() -> None:
    """Half the first ink: green by the profile, cyan without it."""
    image = Image.new("CMYK", (64, 48), (200, 0, 0, 0))
    plain = decode_picture(saved(image, "JPEG", quality=98), "ink.jpg")[24, 32, :3] / 65535
    assert plain[2] > 0.9 and plain[0] < 0.1
    data = saved(image, "JPEG", quality=98, icc_profile=odd_ink_profile())
    red, green, blue = decode_picture(data, "ink.jpg")[24, 32, :3] / 65535
    assert green > 2 * blue and green > 2 * red


def test_an_srgb_profile_changes_nothing() -> None:
    """An embedded sRGB profile changes nothing; one that does is in the CMYK test above."""
    image = Image.new("RGB", (8, 8), (255, 0, 0))
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB"))
    data = saved(image, "PNG", icc_profile=profile.tobytes())
    assert decode_picture(data, "red.png")[4, 4, 0] >= 65000


def test_a_gif_renamed_is_named_for_what_it_is(photo: np.ndarray) -> None:
    data = saved(Image.fromarray(photo), "GIF")
    with pytest.raises(PictureError, match=r"^bay\.jpg: this is a GIF picture"):
        inspect_picture(data, "bay.jpg")


@pytest.mark.parametrize(
    ("data", "sentence"),
    [
        (b"", "the file is empty"),
        (b"Dear lighthouse trust,", "not a picture that can be read"),
        (png_header(50_000, 50_000), "50,000 × 50,000 pixels are too many"),
        (png_header(40_000, 2), "32,000 pixels a side"),
    ],
)
def test_refusals_name_the_file_and_the_way_out(data: bytes, sentence: str) -> None:
    with pytest.raises(PictureError) as refusal:
        inspect_picture(data, "letter.png")
    assert str(refusal.value).startswith("letter.png: ")
    assert sentence in str(refusal.value)


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP", "TIFF", "AVIF"])
def test_a_truncated_file_is_refused_by_name(kind: str, photo: np.ndarray) -> None:
    data = saved(Image.fromarray(photo), kind)
    with pytest.raises(PictureError, match=r"^half\.img: "):
        decode_picture(data[: len(data) // 2], "half.img")
