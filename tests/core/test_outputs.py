"""What is handed over, by the tools of those who take it: ffprobe, FFmpeg, OpenEXR, tifffile."""

from __future__ import annotations

import hashlib
import json
import re
import subprocess
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image

from tests.core.test_formats import run
from vistaline import __version__
from vistaline.core.delivery.making import made_by
from vistaline.core.errors import RenderError
from vistaline.core.formats.encoders import ClipFormat, Encoder, Layout
from vistaline.core.formats.filmfile import read_reel_file
from vistaline.core.formats.outputs import ENCODERS, encoder_for, options_for
from vistaline.core.picture.coding import codes16, planes_of, straight_codes16
from vistaline.core.picture.colour import encode_srgb

RATE = Fraction(24000, 1001)
SIZE = 128, 96
MASTERS = {
    "proxy": ("apco", "Proxy"),
    "light": ("apcs", "LT"),
    "standard": ("apcn", "Standard"),
    "high": ("apch", "HQ"),
    "4444": ("ap4h", "4444"),
}
"""SMPTE RDD 36: the four letters of each, and ffprobe's name of its profile."""


def picture(n: int) -> np.ndarray:
    """Linear light of a soft ramp that drifts, half transparent on the right, premultiplied."""
    x, y = np.meshgrid(np.arange(SIZE[0]) + 3 * n, np.arange(SIZE[1]))
    light = np.stack([x * 300, y * 500, (x + y) * 200], axis=-1) % 60_000
    alpha = np.where(np.arange(SIZE[0]) < 64, 65535, 32768)[None, :, None]
    alpha = np.broadcast_to(alpha, (SIZE[1], SIZE[0], 1))
    return np.concatenate([light * (alpha / 65535), alpha], axis=-1).astype(np.uint16)


def pixels(layout: Layout, n: int) -> np.ndarray:
    """A frame as :meth:`Frames.pixels` gives it."""
    told = picture(n)
    whole = told.copy()
    whole[..., :3] = (told[..., :3] * (65535 / told[..., 3:])).astype(np.uint16)
    match layout:
        case Layout.RGB16:
            return codes16(whole)
        case Layout.RGBA16:
            return straight_codes16(told)
        case Layout.RGB8:
            return (codes16(whole) >> 8).astype(np.uint8)
        case Layout.RGBA8:
            return (straight_codes16(told) >> 8).astype(np.uint8)
        case Layout.YUV420:
            planes = planes_of(codes16(whole), 8, 2, 2)
            return np.concatenate([each.ravel() for each in planes]).reshape(-1, SIZE[0])
        case Layout.LIGHT16:
            return told
    return whole


def made(encoder: Encoder, folder: Path, **chosen: Any) -> Path:
    """Twelve frames in two ranges, joined."""
    options = options_for(encoder, {name: str(value) for name, value in chosen.items()})
    clip, ranges = ClipFormat(SIZE, RATE), [(0, 7), (7, 12)]
    for start, stop in ranges:
        target = encoder.part(folder, start)
        opened = encoder.open(
            target, clip, options=options, threads=2, keep=False, written=lambda _: None
        )
        with opened as writer:
            for n in range(start, stop):
                writer.write(n, pixels(encoder.layout(options), n))
    result = folder / f"result{encoder.suffix}"
    encoder.join(encoder.parts(folder, ranges), result, clip, options, lambda: None)
    return result


def streams(path: Path) -> list[dict[str, Any]]:
    command = ["ffprobe", "-v", "error", "-count_frames", "-show_streams", "-of", "json", str(path)]
    done = subprocess.run(command, capture_output=True, check=True, text=True)
    found: list[dict[str, Any]] = json.loads(done.stdout)["streams"]
    return found


@pytest.mark.parametrize(
    ("key", "chosen", "told"),
    [
        ("mp4", {}, ("h264", "High", "avc1", "yuv420p")),
        ("mp4", {"samples": "422"}, ("h264", "High 4:2:2", "avc1", "yuv422p10le")),
        ("mp4", {"mbit": 2}, ("h264", "High", "avc1", "yuv420p")),
        ("mov", {}, ("h264", "High", "avc1", "yuv420p")),
        ("hevc", {}, ("hevc", "Main", "hvc1", "yuv420p")),
        ("hevc", {"samples": "422"}, ("hevc", "Rext", "hvc1", "yuv422p10le")),
        ("vp9", {}, ("vp9", "Profile 0", "[0][0][0][0]", "yuv420p")),
        ("av1", {}, ("av1", "Main", "[0][0][0][0]", "yuv420p")),
        *(
            ("master", {"rate": rate}, ("prores", name, tag, None))
            for rate, (tag, name) in MASTERS.items()
        ),
    ],
)
def test_a_clip_is_what_it_is_said_to_be(
    key: str, chosen: dict[str, Any], told: tuple[str | None, ...], tmp_path: Path
) -> None:
    """Codec, profile, tag, samples, exact rate, frames counted one by one, colour: ffprobe."""
    path = made(ENCODERS[key], tmp_path, **chosen)
    video, *others = streams(path)
    names = "codec_name", "profile", "codec_tag_string", "pix_fmt"
    found = [video.get(name) for name in names]
    assert found == [own if mine is None else mine for mine, own in zip(told, found, strict=True)]
    assert video["r_frame_rate"] == video["avg_frame_rate"] == "24000/1001"
    assert int(video["nb_read_frames"]) == 12
    tags = [video.get(f"color_{each}") for each in ("space", "transfer", "primaries", "range")]
    assert tags == ["bt709", "bt709", "bt709", "tv"]
    timed = [each["tags"]["timecode"] for each in others if each["codec_tag_string"] == "tmcd"]
    assert timed == (["00:00:00:00"] if path.suffix == ".mov" else [])
    if key == "master":
        assert video["pix_fmt"].startswith("yuva444p" if chosen["rate"] == "4444" else "yuv422p10")
    if path.suffix in (".mp4", ".mov"):
        data = path.read_bytes()
        assert data.index(b"moov") < data.index(b"mdat")  # a page can play it before it is all here


@pytest.mark.parametrize("bits", ["8", "16"])
@pytest.mark.parametrize("alpha", [False, True])
def test_what_is_lossless_comes_back_bit_for_bit(bits: str, alpha: bool, tmp_path: Path) -> None:
    """FFV1 by Debian's FFmpeg, which is another build than the one that wrote it."""
    encoder = ENCODERS["ffv1"]
    path = made(encoder, tmp_path, bits=bits, alpha=alpha)
    (video,) = streams(path)
    assert video["codec_name"] == "ffv1" and int(video["nb_read_frames"]) == 12
    assert (video["color_range"], video["color_transfer"]) == ("pc", "iec61966-2-1")
    asked = {"8": "rgba", "16": "rgba64le"}[bits]
    command = ["ffmpeg", "-v", "error", "-i", str(path), "-f", "rawvideo", "-pix_fmt", asked, "-"]
    data = subprocess.run(command, capture_output=True, check=True).stdout
    kind = np.uint8 if bits == "8" else np.uint16
    frames = np.frombuffer(data, kind).reshape(12, SIZE[1], SIZE[0], 4)
    options = options_for(encoder, {"bits": bits, "alpha": str(alpha)})
    for n in (0, 6, 7, 11):
        own = pixels(encoder.layout(options), n)
        assert (frames[n, ..., : own.shape[2]] == own).all()


def decoded(path: Path, codec: str | None = None) -> list[av.VideoFrame]:
    with av.open(str(path)) as clip:
        stream = clip.streams.video[0]
        if codec is None:
            return list(clip.decode(stream))
        context = av.CodecContext.create(codec, "r")
        packets = [packet for packet in clip.demux(stream) if packet.size]
        return [frame for packet in packets for frame in context.decode(packet)]  # type: ignore[attr-defined]


def test_the_edit_master_keeps_colours_within_its_ten_bits(tmp_path: Path) -> None:
    """Decoded luma against BT.709-6, item 3.2, in ten bits (item 4.6): half a code of eight."""
    path = made(ENCODERS["master"], tmp_path, rate="high")
    for n, frame in enumerate(decoded(path)):
        plane = frame.planes[0]
        luma = np.frombuffer(bytes(plane), "<u2").reshape(plane.height, -1)[:, : SIZE[0]]
        red, green, blue = np.moveaxis(pixels(Layout.RGB16, n) / 65535, -1, 0)
        own = 64 + 876 * (0.2126 * red + 0.7152 * green + 0.0722 * blue)
        assert np.abs(luma - own).mean() < 2


@pytest.mark.parametrize(("key", "codec"), [("master", None), ("vp9", "libvpx-vp9")])
def test_transparency_goes_along(key: str, codec: str | None, tmp_path: Path) -> None:
    """What was half transparent is, and laid over black it is what was premultiplied."""
    chosen = {"rate": "4444"} if key == "master" else {"alpha": True, "crf": 8}
    frames = decoded(made(ENCODERS[key], tmp_path, **chosen), codec)
    assert len(frames) == 12
    for n in (0, 8):
        rgba = frames[n].reformat(format="rgba64le").to_ndarray().astype(float)
        told = straight_codes16(picture(n)).astype(float)
        off = 600 if key == "master" else 2000
        assert np.abs(rgba[..., 3] - told[..., 3]).mean() < off / 2
        seen, own = (each[..., :3] * each[..., 3:] / 65535 for each in (rgba, told))
        assert np.abs(seen - own).mean() < off * 2


@pytest.mark.parametrize(("across", "down"), [(1, 1), (2, 1), (2, 2)])
@pytest.mark.parametrize("bits", [8, 10])
def test_planes_are_those_of_bt709(across: int, down: int, bits: int) -> None:
    """Six flat colours; codes of 75 % colour bars from their formulas (BT.709-6, 3.2, 3.3, 4.6)."""
    bars = [(1, 1, 1), (0.75, 0, 0), (0, 0.75, 0), (0, 0, 0.75), (0, 0, 0), (0.2, 0.4, 0.6)]
    for red, green, blue in bars:
        flat = np.rint(np.array([red, green, blue]) * 65535).astype(np.uint16)
        planes = planes_of(np.tile(flat, (4, 6, 1)), bits, across, down)
        grey = 0.2126 * red + 0.7152 * green + 0.0722 * blue
        differences = (blue - grey) / 1.8556, (red - grey) / 1.5748
        told = (219 * grey + 16, *(224 * each + 128 for each in differences))
        for plane, value in zip(planes, told, strict=True):
            assert np.abs(plane.astype(int) - round(value * 2 ** (bits - 8))).max() <= 1
        assert planes[1].shape == (4 // down, 6 // across)


def test_frames_are_what_their_readers_find(tmp_path: Path) -> None:
    folder = tmp_path / "exr"
    folder.mkdir()
    made(ENCODERS["exr"], folder, alpha=True)
    with OpenEXR.File(str(folder / "000003.exr")) as file:
        rgba = file.channels()["RGBA"].pixels
    assert rgba.dtype == np.float16
    np.testing.assert_allclose(rgba.astype(float), picture(3) / 65535, atol=4e-4)
    with av.open(str(folder / "000003.exr")) as clip:  # FFmpeg's reader: linear, straight rows
        frame = next(clip.decode(video=0)).reformat(format="gbrapf32le").to_ndarray()
    assert frame.shape[:2] == SIZE[::-1]
    folder = tmp_path / "tiff"
    folder.mkdir()
    made(ENCODERS["tiff"], folder)
    seen = tifffile.imread(folder / "000008.tif")
    assert seen.dtype == np.uint16 and (seen == straight_codes16(picture(8))).all()
    folder = tmp_path / "png"
    folder.mkdir()
    made(ENCODERS["png"], folder, bits="16")
    with av.open(str(folder / "000002.png")) as clip:
        deep = next(clip.decode(video=0)).reformat(format="rgb48le").to_ndarray()
    assert (deep == pixels(Layout.RGB16, 2)).all()
    folder = tmp_path / "jpeg"
    folder.mkdir()
    made(ENCODERS["jpeg"], folder, quality=95)
    with Image.open(folder / "000000.jpg") as image:
        small = np.asarray(image).astype(int)
    assert np.abs(small - (pixels(Layout.RGB16, 0) >> 8)).mean() < 4


def test_codes_of_sixteen_bits_are_srgb() -> None:
    """IEC 61966-2-1 by its formula; what is transparent has the colour it had before."""
    light = np.arange(0, 65536, 17, dtype=np.uint16)
    whole = np.dstack([light, light, light, np.full_like(light, 65535)])
    told = np.rint(encode_srgb(light / 65535) * 65535)
    assert (codes16(whole)[..., 0].ravel() == told).all()
    assert (straight_codes16(whole)[..., 1].ravel() == told).all()
    half = np.array([[[10_000, 5_000, 0, 20_000], [0, 0, 0, 0]]], np.uint16)
    straight = straight_codes16(half)[0]
    assert straight[0].tolist()[3] == 20_000
    assert straight[0, 0] == round(float(encode_srgb(0.5)) * 65535)
    assert straight[1].tolist() == [0, 0, 0, 0]


def test_what_makes_no_sense_is_told_in_a_sentence(tmp_path: Path) -> None:
    for key, chosen, words in (
        ("mp4", {"mbit": "0"}, "mbit must be greater than 0"),
        ("mp4", {"crf": "99"}, "crf must be less than or equal to 51"),
        ("master", {"rate": "best"}, "rate must be"),
        ("ffv1", {"depth": "16"}, "depth"),
    ):
        with pytest.raises(RenderError, match=words):
            options_for(ENCODERS[key], chosen)
    with pytest.raises(RenderError, match="let its name end with"):
        encoder_for("film.avi")
    encoder = ENCODERS["master"]
    options = options_for(encoder, {"rate": "high"})
    odd = ClipFormat((127, 96), RATE)
    with pytest.raises(RenderError, match="even width and height, not 127 x 96"):
        encoder.open(str(tmp_path / "a.mov"), odd, options=options, threads=1, keep=False,
                     written=lambda _: None)  # fmt: skip
    assert not list(tmp_path.iterdir())


def test_the_command_line_makes_them_by_ending_and_by_name(shot_file: Path) -> None:
    folder = shot_file.parent
    run("render", shot_file, "-o", "m.mov", "--frames", "0-1", "--set", "rate=light", folder=folder)
    run("render", shot_file, "-o", "h.mp4", "--as", "hevc", "--frames", "0-1", folder=folder)
    run("render", shot_file, "-o", "e/%04d.exr", "--frames", "1-1", folder=folder)
    assert streams(folder / "m.mov")[0]["codec_tag_string"] == "apcs"
    assert streams(folder / "h.mp4")[0]["codec_name"] == "hevc"
    assert (folder / "e/0001.exr").read_bytes()[:4] == b"\x76\x2f\x31\x01"
    # A frame alone needs no number.
    run("render", shot_file, "-o", "still.png", "--frames", "4", folder=folder)
    with Image.open(folder / "still.png") as still:
        assert still.size == (320, 180)
    # What made a clip is told in it, whether it was joined from parts or not.
    run("render", shot_file, "-o", "w.mkv", "--workers", "2", "--frames", "0-25", "--scale", "0.2",
        folder=folder)  # fmt: skip
    words = made_by(
        read_reel_file(shot_file),
        lambda file: hashlib.sha256(Path(file).read_bytes()).hexdigest(),
    )
    assert re.fullmatch(rf"Vistaline {re.escape(__version__)}, [0-9a-f]{{16}}", words)
    for name in ("m.mov", "w.mkv"):
        with av.open(str(folder / name)) as clip:
            told = {key.lower(): value for key, value in clip.metadata.items()}
        assert told["comment"] == words
    wrong = run("render", shot_file, "-o", "h.mp4", "--as", "vp9", folder=folder, fails=True)
    assert "must end with .webm" in wrong.stderr
    wrong = run("render", shot_file, "-o", "%04d.gif", folder=folder, fails=True)
    assert "GIF is one file of all frames" in wrong.stderr


@pytest.mark.parametrize("key", ["gif", "webp"])
def test_an_animation_is_what_pillow_reads(key: str, tmp_path: Path) -> None:
    """Frames, time (GIF89a counts hundredths of a second), endless, and colours near the codes."""
    path = made(ENCODERS[key], tmp_path)
    with Image.open(path) as image:
        assert (image.size, image.n_frames, image.info.get("loop")) == (SIZE, 12, 0)
        took, off = [], []
        for n in range(12):
            image.seek(n)
            image.load()
            took.append(image.info["duration"])
            own = pixels(Layout.RGB8, n).astype(int)
            off.append(np.abs(np.asarray(image.convert("RGB")).astype(int) - own).mean())
    if key == "gif":
        assert {*took} == {40, 50}
    # The last frame's time follows from nothing: it is as long as one is.
    assert sum(took[:11]) == pytest.approx(11 * 1000 / RATE, abs=10)
    assert max(off) < 8


def test_an_animation_may_be_transparent_and_is_made_by_its_ending(shot_file: Path) -> None:
    folder = shot_file.parent
    path = made(ENCODERS["webp"], folder, alpha=True)
    with Image.open(path) as image:
        image.seek(5)
        alpha = np.asarray(image.convert("RGBA"))[..., 3].astype(int)
    assert abs(alpha[:, :60].mean() - 255) < 2 and abs(alpha[:, 70:].mean() - 128) < 4
    for workers in ("1", "2"):
        run("render", shot_file, "-o", f"{workers}.gif", "--frames", "0-23", "--scale", "0.2",
            "--workers", workers, "--set", "colours=64", folder=folder)  # fmt: skip
    assert (folder / "1.gif").read_bytes() == (folder / "2.gif").read_bytes()
    with Image.open(folder / "1.gif") as image:
        assert image.n_frames == 24
    assert not list(folder.glob(".*"))
