"""What is handed over: names, numbers, what made a file, sizes foretold, clips that are matched."""

import io
import re
import subprocess
from fractions import Fraction
from pathlib import Path

import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image

from tests.conftest import make_shot, pyramid_of, textured
from vistaline.core.delivery.delivery import Delivery, names_of, parse_delivery, sidecar, span_of
from vistaline.core.delivery.foretold import Sample, foretold_bytes
from vistaline.core.delivery.matching import match
from vistaline.core.delivery.naming import name_by
from vistaline.core.delivery.takes import shot_as
from vistaline.core.errors import PictureError, RenderError
from vistaline.core.formats.encoders import ClipFormat
from vistaline.core.formats.marks import marked
from vistaline.core.formats.outputs import ENCODERS
from vistaline.core.picture.colour import linear16_from_srgb
from vistaline.core.picture.floating import encode_exr
from vistaline.core.picture.pyramid import Pyramid
from vistaline.core.picture.still import encode_jpeg, encode_png, encode_still
from vistaline.core.render.clip import Output, render_frames
from vistaline.core.render.reel import frames_of
from vistaline.core.shot.cameras import Camera, Cut, Take
from vistaline.core.shot.shot import Shot

HD = (1920, 1080)


@pytest.mark.parametrize(
    ("facts", "name"),
    [
        ({"shot": "Sallow Head", "take": "b", "render": "7"}, "sallow-head-b-7"),
        ({"shot": "../../etc/passwd"}, "etc-passwd"),
        ({"shot": "A  ?*: \0 <b>|"}, "a-b"),
        # Microsoft, "Naming Files, Paths, and Namespaces": names of devices, with any ending.
        ({"shot": "CON"}, "file-con"),
        ({"shot": "lpt9"}, "file-lpt9"),
        ({"shot": ""}, "shot"),
        ({"shot": "灯台"}, "灯台"),
        ({"shot": "Ærø Fyr — nº 2", "take": "é"}, "ærø-fyr-no-2-e"),
    ],
)
def test_names_are_safe_on_every_system(facts: dict[str, str], name: str) -> None:
    found = name_by("{shot}-{take}-{camera}-{render}-{frame}", facts)
    assert found == name
    # POSIX.1-2017, 3.170, and Microsoft's page: no separators, control characters, end in a dot.
    assert not re.search(r'[/\\:*?"<>|\x00-\x1f]', found) and found.strip(". ") == found


@pytest.mark.parametrize(
    ("pattern", "said"),
    [
        ("a/b", "cannot have '/'"),
        ("..", "dots"),
        (".{shot}", "dot or a space"),
        ("{shot}.", "dot or a space"),
        ("{shto}", "Did you mean 'shot'"),
        ("{shot", "brace"),
        ("{shot:>9}", "Names know no"),
        ("", "need a name"),
        ("-_-", "need a name"),
        ("x" * 101, "at most 100"),
        ("a\nb", "cannot have"),
    ],
)
def test_a_pattern_that_makes_no_name_is_refused(pattern: str, said: str) -> None:
    with pytest.raises(RenderError, match=re.escape(said)):
        parse_delivery({"name": pattern})


@pytest.mark.parametrize(
    ("document", "said"),
    [
        ({"output": "avi"}, "no output 'avi'"),
        ({"options": {"mbit": 0}}, "mbit"),
        ({"options": {"bogus": 1}}, "bogus"),
        ({"every": 0}, "every"),
        ({"handles": -1}, "handles"),
        ({"scale": 1e9}, "scale"),
        ({"quality": "best"}, "draft, standard, final"),
        ({"number": -1}, "number"),
    ],
)
def test_what_makes_no_sense_is_told(document: dict[str, object], said: str) -> None:
    with pytest.raises(RenderError, match=said):
        parse_delivery(document)


def test_frames_have_handles_steps_and_numbers() -> None:
    """Beyond the ends of a shot it stands still; what is asked for keeps its own numbers."""
    span = span_of(Delivery(handles=2), 0, 9, duration=10)
    frames = [span.frame_at(index) for index in range(span.count)]
    assert frames == [0, 0, *range(10), 9, 9]
    assert span.number_at(0) == 0  # files have no numbers below 0
    span = span_of(Delivery(handles=2, every=3), 12, 20, duration=40)
    assert [span.frame_at(n) for n in range(span.count)] == [6, 9, 12, 15, 18, 21, 24]
    assert [span.number_at(n) for n in range(3)] == [6, 9, 12]
    span = span_of(Delivery(every=2, number=1001), 12, 20, duration=40)
    assert [span.number_at(n) for n in range(span.count)] == [*range(1001, 1006)]
    names = names_of(Delivery(name="{shot}.{frame}"), {"shot": "Bay"}, span)
    assert (names(0), names(4)) == ("bay.1001", "bay.1005")
    # A name without a place for the number gets one: two frames are never one file.
    assert names_of(Delivery(name="x"), {}, span)(1) == "x-1002"
    for first, last in ((5, 4), (-1, 3), (0, 40)):
        with pytest.raises(RenderError):
            span_of(Delivery(), first, last, duration=40)


def test_long_names_are_cut_but_never_their_numbers() -> None:
    """Within the 255 bytes of ext4 and NTFS's 255 letters, of whatever script."""
    span = span_of(Delivery(), 0, 119, duration=120)
    for letters in ("a long name ", "灯台の長い名前"):
        told = {token: letters * 12 for token in ("project", "shot", "take", "camera")}
        pattern = "{project}{shot}{take}{camera}{frame}" + "y" * 60
        names = {names_of(Delivery(name=pattern), told, span)(n) for n in range(120)}
        assert len(names) == 120
        assert max(len(f"{each}.alpha.png".encode()) for each in names) <= 255


WORDS = "Vistaline 0.1.0, 0123456789abcdef"


def test_what_made_a_picture_is_read_by_others_and_its_pixels_are_as_before() -> None:
    """By Pillow, tifffile and OpenEXR, each for what it knows."""
    codes = np.random.default_rng(1).integers(0, 65536, (37, 53, 4), dtype=np.uint16)
    eight = (codes[..., :3] >> 8).astype(np.uint8)
    png = Image.open(io.BytesIO(marked(encode_png(eight), WORDS)))
    assert png.info["Software"] == WORDS
    np.testing.assert_array_equal(np.asarray(png), eight)
    plain = encode_jpeg(eight)
    jpeg = Image.open(io.BytesIO(marked(plain, WORDS)))
    assert jpeg.info["comment"] == WORDS.encode()
    np.testing.assert_array_equal(np.asarray(jpeg), np.asarray(Image.open(io.BytesIO(plain))))
    with tifffile.TiffFile(io.BytesIO(marked(encode_still(codes, "tiff16"), WORDS))) as tiff:
        assert tiff.pages[0].tags["Software"].value == WORDS
        np.testing.assert_array_equal(tiff.asarray(), codes)


@pytest.mark.parametrize("height", [1, 16, 17, 200])
def test_what_made_an_openexr_picture_is_read(height: int, tmp_path: Path) -> None:
    light = np.random.default_rng(2).random((height, 31, 4)).astype(np.float16)
    path = tmp_path / "a.exr"
    path.write_bytes(marked(encode_exr(light), WORDS))
    with OpenEXR.File(str(path)) as file:
        assert file.header()["software"] == WORDS
        np.testing.assert_array_equal(file.channels()["RGBA"].pixels, light)


@pytest.mark.parametrize("kind", ["gif", "webp"])
def test_what_made_an_animation_is_read(kind: str, shot: Shot, tmp_path: Path) -> None:
    path = rendered(shot, kind, tmp_path, range(3))
    with Image.open(path) as found:
        told = found.info["comment" if kind == "gif" else "xmp"]
        assert WORDS.encode() in told and found.n_frames == 3


@pytest.fixture
def shot() -> Shot:
    return make_shot({"back": (1600, 900)})


def looks(shot: Shot) -> dict[str, Pyramid]:
    photo = textured(np.random.default_rng(3), 1600, 900)
    light = linear16_from_srgb(256)[photo]
    whole = np.dstack([light, np.full(photo.shape[:2], 65535, np.uint16)])
    return {key: pyramid_of(whole) for key in shot.pictures}


def rendered(
    shot: Shot, key: str, folder: Path, frames: range, delivery: Delivery | None = None
) -> Path:
    delivery = delivery or Delivery(output=key)
    encoder = delivery.encoder
    target = folder / f"it{encoder.ending if encoder.joined else '%04d' + encoder.ending}"
    output = Output(
        encoder=encoder, target=str(target), options=delivery.chosen, made=WORDS, first=90_000
    )
    render_frames(frames_of(shot, looks), list(frames), output)
    return target if encoder.joined else Path(str(target) % frames[0])


@pytest.mark.parametrize(
    ("output", "options"),
    [
        ("mp4", {"mbit": 2.0}),
        ("mp4", {"samples": "422", "mbit": 4.0}),
        ("hevc", {"mbit": 1.0}),
        ("mov", {"mbit": 3.0}),
        ("hevc-mov", {"mbit": 1.0}),
        ("master", {"rate": "proxy"}),
        ("master", {"rate": "high"}),
        ("master", {"rate": "4444"}),
        ("vp9", {"alpha": True}),
        ("vp9", {}),
        ("av1", {}),
        ("ffv1", {"bits": "16", "alpha": True}),
        ("ffv1", {"bits": "8"}),
        ("gif", {}),
        ("webp", {}),
        ("png", {"bits": "16"}),
        ("png-alpha", {"bits": "8"}),
        ("exr", {"alpha": True}),
        ("jpeg", {}),
    ],
)
def test_a_clip_of_ones_own_is_matched_as_it_was_made(
    output: str, options: dict[str, object], shot: Shot, tmp_path: Path
) -> None:
    made = Delivery(output=output, options=options)
    path = rendered(shot, output, tmp_path, range(8), made)
    found = match(path, path.name, (shot.frame.width * 2, shot.frame.height * 2), shot.frame.rate)
    assert found.delivery.output == output and found.delivery.scale == 0.5
    for name, value in options.items():
        told = found.delivery.options[name]
        assert told == value or (name == "mbit" and abs(told / value - 1) < 0.6), (name, told)
    assert any("320 × 180" in words for words in found.words)


def test_clips_made_by_others_are_told_in_words(tmp_path: Path) -> None:
    """Made by Debian's FFmpeg."""

    def made(name: str, *how: str) -> Path:
        source = "testsrc2=size=640x360:rate=25:duration=0.4"
        command = ["ffmpeg", "-v", "error", "-f", "lavfi", "-i", source, *how, tmp_path / name]
        subprocess.run(command, check=True)
        return tmp_path / name

    clip = made("a.mov", "-c:v", "libx264", "-pix_fmt", "yuv444p", "-timecode", "01:00:00:00")
    found = match(clip, "a.mov", HD, Fraction(24))
    assert found.delivery.output == "mov" and found.delivery.number == 86_400
    bare = made("f.mov", "-c:v", "libx265", "-x265-params", "log-level=none", "-tag:v", "hvc1")
    assert match(bare, "f.mov", HD, Fraction(25)).delivery.output == "hevc-mov"
    grey = made("g.mkv", "-c:v", "ffv1", "-pix_fmt", "gray16le")
    told = match(grey, "g.mkv", HD, Fraction(25)).delivery.options
    assert (told["bits"], told["alpha"]) == ("16", False)
    said = " ".join(found.words)
    assert "25 frames a second" in said and "yuv444p" in said and "640 × 360" in said
    square = made("b.mp4", "-vf", "scale=360:360", "-c:v", "libx264", "-pix_fmt", "yuv420p")
    found = match(square, "b.mp4", HD, Fraction(25))
    assert found.delivery.scale == 1 and "no size of 1920 × 1080" in " ".join(found.words)
    wide = made("c.mp4", "-c:v", "libx264", "-pix_fmt", "yuv420p", "-colorspace", "bt2020nc",
                "-color_primaries", "bt2020")  # fmt: skip
    assert any("BT.709" in words for words in match(wide, "c.mp4", HD, Fraction(25)).words)
    with pytest.raises(RenderError, match="mpeg4, which nothing here makes"):
        match(made("d.mp4", "-c:v", "mpeg4"), "d.mp4", HD, Fraction(25))
    torn = tmp_path / "e.mov"
    torn.write_bytes(clip.read_bytes()[:600])
    with pytest.raises(PictureError, match=r"e\.mov"):
        match(torn, "e.mov", HD, Fraction(25))


def test_a_take_and_a_camera_are_seen_throughout(shot: Shot) -> None:
    other = shot.route.evolve(
        framings=tuple(each.evolve(position=(0.3, 0, 0)) for each in shot.route.framings)
    )
    cameras = (shot.camera, Camera(id="b", name="Close", route=other))
    shot = shot.evolve(
        takes=(Take(name="wide", route=other),), cameras=cameras, cuts=(Cut(frame=12, camera="b"),)
    )
    draw = looks(shot)
    wide = frames_of(shot_as(shot, take="wide", camera="A"), lambda _: draw).rgb(3)
    close = frames_of(shot_as(shot, camera="Close"), lambda _: draw).rgb(3)
    np.testing.assert_array_equal(wide, close)
    np.testing.assert_array_equal(close, frames_of(shot, lambda _: draw).rgb(20))
    for wrong in ({"take": "narrow"}, {"camera": "C"}):
        with pytest.raises(RenderError, match="There is no"):
            shot_as(shot, **wrong)


@pytest.mark.parametrize("output", ["mp4", "png", "master"])
def test_a_size_is_foretold(output: str, tmp_path: Path) -> None:
    shot = make_shot({"back": (1600, 900)})
    shot = shot.evolve(frame=shot.frame.evolve(width=960, height=540))
    delivery = Delivery(output=output)
    span = span_of(delivery, 0, 23, duration=24)
    cost = Sample(shot, looks).cost(delivery.encoder, delivery.chosen)
    told = foretold_bytes(cost, delivery, span, (960, 540), 24.0)
    rendered(shot, output, tmp_path, range(24))
    size = sum(path.stat().st_size for path in tmp_path.iterdir())
    assert 0.5 < told / size < 2
    asked = delivery.evolve(output="mp4", options={"mbit": 8.0})
    assert foretold_bytes(cost, asked, span, (960, 540), 24.0) == 1_000_000


def test_what_made_files_is_told_beside_them(shot: Shot) -> None:
    delivery = Delivery(every=2, number=1001, scale=0.5)
    told = sidecar(shot, delivery, span_of(delivery, 4, 11, duration=24), WORDS)
    assert (told["width"], told["height"], told["frames"]) == (160, 90, 4)
    assert told["first"] == {"frame": 4, "number": 1001}
    assert told["last"] == {"frame": 10, "number": 1004}
    assert Fraction(told["frames_a_second"]) == shot.frame.rate / 2
    assert parse_delivery(told["delivery"]) == delivery


def test_one_frame_alone_is_a_clip_of_every_kind(tmp_path: Path) -> None:
    """H.265's encoder says nonsense of when one frame alone is decoded: it was refused at times."""
    pixels = np.full((360 * 3 // 2, 640), 90, np.uint8)
    for n in range(12):
        encoder = ENCODERS["hevc"]
        path = tmp_path / f"{n}.mp4"
        with encoder.open(str(path), ClipFormat((640, 360), Fraction(24)),
                          options=encoder.options(), threads=2, keep=False,
                          written=lambda count: None) as writer:  # fmt: skip
            writer.write(0, pixels)
        assert path.stat().st_size > 500


@pytest.mark.parametrize(("depth", "alpha"), [("metres", False), ("1/z", True)])
def test_depth_is_read_beside_the_light(depth: str, alpha: bool, tmp_path: Path) -> None:
    """By OpenEXR's own reader; z against each card's place before the camera, by hand.

    Cards stand at 4 and 2 m; the camera comes 0.3 m nearer and 0.1 m to the right. From where it
    was taken the near one is as wide as a half of the frame, at the end 2/1.7 times that.
    """
    shot = make_shot({"back": (1600, 900), "front": (800, 450)})
    chosen = {"depth": depth, "alpha": alpha}
    path = rendered(shot, "exr", tmp_path, range(23, 24), Delivery(output="exr", options=chosen))
    with OpenEXR.File(str(path)) as file:
        z, seen = (file.channels()[name].pixels.copy() for name in ("Z", "RGBA"))
    assert z.dtype == np.float32 and seen.dtype == np.float16
    near, far = (1.7, 3.7) if depth == "metres" else (1 / 1.7, 1 / 3.7)
    row = z[90]
    np.testing.assert_allclose(np.unique(row.round(5)), sorted((near, far)), atol=1e-4)
    first, last = np.flatnonzero(np.isclose(row, near))[[0, -1]]
    # 35 mm on a gate of 36 mm; the camera has come 0.1 m to the right.
    middle, half = 160 - 0.1 / 1.7 * 35 / 36 * 320, 80 * 2 / 1.7
    assert abs(first - (middle - half)) <= 1 and abs(last + 1 - (middle + half)) <= 1
    plain = rendered(shot, "exr", tmp_path, range(23, 24), Delivery(output="exr"))
    with OpenEXR.File(str(plain)) as file:
        light = file.channels()["RGBA"].pixels
        np.testing.assert_allclose(seen[..., :3], light[..., :3], atol=1e-3)


def test_where_nothing_is_there_is_no_depth(shot: Shot, tmp_path: Path) -> None:
    bare = shot.evolve(layers=())
    for depth, nothing in (("metres", np.inf), ("1/z", 0.0)):
        chosen = Delivery(output="exr", options={"depth": depth})
        path = rendered(bare, "exr", tmp_path, range(1), chosen)
        with OpenEXR.File(str(path)) as file:
            assert (file.channels()["Z"].pixels == nothing).all()
