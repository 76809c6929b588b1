"""Pictures in: what is accepted and how it is read, what is refused and in which words."""

import io
import struct
import zlib
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from PIL import Image, ImageCms

from vistaline.core.errors import PictureError
from vistaline.core.picture.colour import linear16_from_srgb, linearise_srgb
from vistaline.core.picture.decode import decode_codes, decode_picture, inspect_picture


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


# --- OpenEXR: written by FFmpeg ------------------------------------------------------------------


def exr(path: Path, planes: list[np.ndarray], kind: str) -> Path:
    """Write planes float32 (height, width) as FFmpeg's encoder does; ``kind``: its pixel format."""
    height, width = planes[0].shape
    with av.open(str(path), "w", format="image2") as out:
        stream = out.add_stream("exr", rate=1)
        stream.width, stream.height, stream.pix_fmt = width, height, kind  # type: ignore[attr-defined]
        frame = av.VideoFrame(width, height, kind)
        for plane, values in zip(frame.planes, planes, strict=True):
            padded = np.zeros((height, plane.line_size // 4), np.float32)
            padded[:, :width] = values
            plane.update(padded.tobytes())
        out.mux(stream.encode(frame))  # type: ignore[attr-defined]
        out.mux(stream.encode())  # type: ignore[attr-defined]
    return path


def test_light_of_an_exr_is_the_light_in_it(tmp_path: Path, rng: np.random.Generator) -> None:
    """What is brighter than white is white; alpha comes premultiplied, as the format has it."""
    green, blue, red = (rng.random((48, 65)).astype(np.float32) * 1.2 for _ in range(3))
    path = exr(tmp_path / "light.exr", [green, blue, red], "gbrpf32le")
    told = inspect_picture(path, "light.exr")
    assert (told.width, told.height, told.bits, told.extension) == (65, 48, 16, "exr")
    light = decode_picture(path, "light.exr")[..., :3] / 65535
    np.testing.assert_allclose(light, np.clip(np.dstack([red, green, blue]), 0, 1), atol=3e-5)
    alpha = np.full_like(red, 0.25)
    path = exr(
        tmp_path / "clear.exr",
        [each * alpha for each in (green, blue, red)] + [alpha],
        "gbrapf32le",
    )
    assert inspect_picture(path, "clear.exr").has_alpha
    seen = decode_picture(path, "clear.exr") / 65535
    np.testing.assert_allclose(seen[..., 0], np.clip(red, 0, 1) * 0.25, atol=5e-5)


def test_a_map_of_numbers_fills_its_range_whatever_its_unit(tmp_path: Path) -> None:
    """Metres, say; where there is no number it is black, and a flat one stays what it is."""
    metres = np.linspace(2, 40, 64 * 32, dtype=np.float32).reshape(32, 64)
    path = exr(tmp_path / "depth.exr", [metres], "grayf32le")
    codes = decode_codes(path, "depth.exr")
    np.testing.assert_allclose(codes[..., 0] / 65535, (metres - 2) / 38, atol=1e-4)
    holed = metres.copy()
    holed[4:8, 10:20] = np.nan
    holed[9, 9] = np.inf
    codes = decode_codes(exr(tmp_path / "holed.exr", [holed], "grayf32le"), "holed.exr")
    assert codes[5, 12, 0] == 0 and codes[9, 9, 0] == 0
    assert codes[31, 63, 0] == 65535
    flat = exr(tmp_path / "flat.exr", [np.full((8, 8), 0.5, np.float32)], "grayf32le")
    assert np.ptp(decode_codes(flat, "flat.exr")[..., 0]) == 0


def test_a_damaged_exr_is_refused_in_a_sentence(tmp_path: Path) -> None:
    path = exr(tmp_path / "depth.exr", [np.zeros((64, 64), np.float32)], "grayf32le")
    whole = path.read_bytes()
    for cut in (6, 40, len(whole) // 2):
        with pytest.raises(PictureError, match=r"depth.exr: .*(damaged|breaks off)"):
            decode_codes(whole[:cut], "depth.exr")
    several = whole[:4] + (0x1002).to_bytes(4, "little") + whole[8:]
    with pytest.raises(PictureError, match="several parts"):
        inspect_picture(several, "depth.exr")
    box = whole.index(b"dataWindow") + len(b"dataWindow\0box2i\0") + 4
    huge = whole[: box + 8] + (40_000).to_bytes(4, "little") * 2 + whole[box + 16 :]
    with pytest.raises(PictureError, match="are too many"):
        inspect_picture(huge, "depth.exr")
