"""Pictures that move: frames beside PyAV's own decode, colours beside colour-science."""

from __future__ import annotations

import io
import json
import warnings
import zipfile
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import pytest
from PIL import Image

from tests.conftest import make_shot, pyramid_of
from tests.core.test_mounts import do
from vistaline.core import edits
from vistaline.core.errors import CoreError, EditError, PictureError, ShotError
from vistaline.core.formats.incoming import sound_clip
from vistaline.core.formats.moving import MovingFrames
from vistaline.core.formats.shotfile import read_shot_file
from vistaline.core.looks.drifting import Drift, drifted
from vistaline.core.picture import clip as limits
from vistaline.core.picture.clips import clip_codes, inspect_clip, is_clip
from vistaline.core.picture.colour import codes_from_linear
from vistaline.core.picture.still_rows import pack_row
from vistaline.core.picture.transfer import Tags, linear_from_clip
from vistaline.core.prepare.ends import ends_joined
from vistaline.core.prepare.mending import JoinEnds
from vistaline.core.prepare.step import Prepared
from vistaline.core.render.frame import Renderer
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.running import Held, Running, frames_seen
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.drawn import Looks
from vistaline.core.stage.looking import layer_looking
from vistaline.core.stage.tracks import track_of

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # of plotting, which is not used
    import colour

SIZE = (160, 90)


def frames_of(count: int, rng: np.random.Generator) -> list[np.ndarray]:
    """Soft shapes that drift; each frame has its number as a grey level at its top left."""
    noise = rng.random((SIZE[1], SIZE[0], 3)).astype(np.float32)
    soft = cv2.normalize(cv2.GaussianBlur(noise, (0, 0), 7), None, 20, 235, cv2.NORM_MINMAX)
    found = [np.roll(soft, 3 * n, axis=1).astype(np.uint8) for n in range(count)]
    for n, each in enumerate(found):
        each[:16, :16] = 4 * n + 8
    return found


def write_clip(
    path: Path,
    frames: Sequence[np.ndarray],
    codec: str = "libx264",
    pixels: str = "yuv420p",
    *,
    rate: Fraction = Fraction(24),
    stamps: Sequence[int] | None = None,
    faststart: bool = False,
    **options: str,
) -> Path:
    """Write frames, RGB or RGBA codes, as a clip; ``stamps``: when each is shown, in 1 / 600 s."""
    layout = {"movflags": "+faststart"} if faststart else {}
    with av.open(str(path), "w", options=layout) as out:
        stream: Any = out.add_stream(codec, rate=rate, options=options)
        stream.height, stream.width = frames[0].shape[:2]
        stream.pix_fmt = pixels
        if stamps:
            stream.time_base = stream.codec_context.time_base = Fraction(1, 600)
        for n, codes in enumerate(frames):
            frame = av.VideoFrame.from_ndarray(codes, "rgba" if codes.shape[2] == 4 else "rgb24")
            frame = frame.reformat(format=pixels)
            if stamps:
                frame.pts, frame.time_base = stamps[n], Fraction(1, 600)
            out.mux(stream.encode(frame))
        out.mux(stream.encode())
    return path


@pytest.mark.parametrize(
    ("codec", "pixels", "name", "options"),
    [
        ("libx264", "yuv420p", "a.mp4", {"g": "25", "bf": "3"}),
        ("libx264", "yuv420p", "a.mkv", {"g": "12", "x264-params": "open-gop=1"}),
        ("libx265", "yuv420p10le", "a.mov", {"x265-params": "log-level=error"}),
        ("prores_ks", "yuv422p10le", "a.mov", {}),
        ("libvpx-vp9", "yuv420p", "a.webm", {"cpu-used": "8"}),
        ("mpeg2video", "yuv420p", "a.ts", {}),
        ("ffv1", "yuv444p", "a.mkv", {}),
    ],
)
def test_any_frame_alone_is_pyavs_own_to_the_bit(
    codec: str,
    pixels: str,
    name: str,
    options: dict[str, str],
    rng: np.random.Generator,
    tmp_path: Path,
) -> None:
    path = write_clip(tmp_path / name, frames_of(60, rng), codec, pixels, **options)
    clip = sound_clip(path, name, inspect_clip(path, name))
    assert is_clip(path) and (clip.frames, clip.rate, clip.remarks) == (60, 24, ())
    assert clip.planar == (pixels == "yuv420p")
    kind = "rgb48le" if clip.bits > 8 else "rgb24"
    with av.open(str(path)) as container:
        frames = list(container.decode(video=0))
    assert len(frames) == 60
    whole = [frame.to_ndarray() for frame in frames]
    if not clip.planar:
        read = clip.tags.for_reading()
        whole = [frame.reformat(format=kind, **read).to_ndarray() for frame in frames]
    for first, count in ((0, 3), (59, 1), (24, 4), (37, 2), (11, 3)):
        found = clip_codes(path, name, clip, first, count)
        assert all((one == other).all() for one, other in zip(found, whole[first:], strict=False))


# --- colours ----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("matrix", "full", "name"),
    [(1, False, "ITU-R BT.709"), (5, False, "ITU-R BT.601"), (9, False, "ITU-R BT.2020"),
     (1, True, "ITU-R BT.709"), (5, True, "ITU-R BT.601")],
)  # fmt: skip
def test_matrix_and_range_are_as_the_clip_says(
    matrix: int, full: bool, name: str, rng: np.random.Generator, tmp_path: Path
) -> None:
    wanted = cv2.resize(rng.random((4, 8, 3)), (128, 64), interpolation=cv2.INTER_NEAREST)
    planes = colour.RGB_to_YCbCr(
        wanted, colour.WEIGHTS_YCBCR[name], out_bits=8, out_legal=not full, out_int=True
    )
    path = tmp_path / "a.mkv"
    with av.open(str(path), "w") as out:
        stream: Any = out.add_stream("ffv1", rate=24)
        stream.width, stream.height, stream.pix_fmt = 128, 64, "yuv444p"
        stream.codec_context.colorspace = matrix
        stream.codec_context.color_range = 2 if full else 1
        frame = av.VideoFrame.from_ndarray(planes.astype(np.uint8).transpose(2, 0, 1), "yuv444p")
        frame.colorspace, frame.color_range = matrix, 2 if full else 1
        out.mux(stream.encode(frame))
        out.mux(stream.encode())
    clip = inspect_clip(path, path.name)
    assert (clip.tags.matrix, clip.tags.full) == (matrix, full)
    found = clip_codes(path, path.name, clip, 0, 1)[0]
    assert np.abs(found / 255 - wanted).max() < 2.6 / 255


@pytest.mark.parametrize(("matrix", "full"), [(1, False), (5, True), (9, False)])
def test_planes_are_the_light_of_their_codes(
    matrix: int, full: bool, rng: np.random.Generator
) -> None:
    """By colour-science, where colour is even; between, by means of its neighbours."""
    name = {1: "ITU-R BT.709", 5: "ITU-R BT.601", 9: "ITU-R BT.2020"}[matrix]
    planes = np.empty((96, 64), np.uint8)
    planes[:64] = rng.integers(16, 235, (64, 64))
    planes[64:] = 90
    planes[80:] = 160
    found = linear_from_clip(planes, Tags(matrix=matrix, full=full))
    codes = np.stack([planes[:64], np.full((64, 64), 90), np.full((64, 64), 160)], axis=-1)
    wanted = colour.YCbCr_to_RGB(
        codes, colour.WEIGHTS_YCBCR[name], in_bits=8, in_int=True, in_legal=not full
    )
    light = colour.models.eotf_sRGB(np.clip(wanted, 0, 1)) * 65535
    assert np.abs(found[..., :3] - light).max() < 65535 * 0.006
    assert (found[..., 3] == 65535).all()
    # A step of colour between two samples is on its way half way.
    planes[:64], planes[64:80, :16], planes[64:80, 32:48] = 128, 60, 60
    blue = linear_from_clip(planes, Tags(matrix=matrix, full=full))[32, :, 2].astype(int)
    assert blue[30] < blue[31] < blue[32]


CODES = np.tile(np.arange(0, 65536, 257, dtype=np.uint16)[None, :, None], (1, 1, 3))


@pytest.mark.parametrize(
    ("transfer", "light"),
    [
        (8, lambda code: code),
        (4, lambda code: code**2.2),
        # White of 203 cd/m²: ITU-R BT.2408.
        (16, lambda code: colour.models.eotf_ST2084(code) / 203),
        (18, lambda code: colour.models.oetf_inverse_ARIBSTDB67(code * 1.0, r=0.5) / 3.18),
    ],
)
def test_transfers(transfer: int, light: Any) -> None:
    found = linear_from_clip(CODES, Tags(transfer=transfer))[0, :, 0] / 65535
    wanted = np.clip(light(CODES[0, :, 0] / 65535), 0, 1)
    assert np.abs(found - wanted).max() < 1e-3


@pytest.mark.parametrize(
    ("primaries", "name"), [(9, "ITU-R BT.2020"), (12, "Display P3"), (5, "ITU-R BT.470 - 625")]
)
def test_primaries(primaries: int, name: str, rng: np.random.Generator) -> None:
    codes = (rng.random((8, 8, 3)) * 65535).astype(np.uint16)
    spaces = colour.RGB_COLOURSPACES
    matrix = colour.matrix_RGB_to_RGB(spaces[name], spaces["ITU-R BT.709"], None)
    linear = linear_from_clip(codes, Tags())[..., :3] / 65535
    found = linear_from_clip(codes, Tags(primaries=primaries))[..., :3] / 65535
    assert np.abs(found - np.clip(linear @ matrix.T, 0, 1)).max() < 2e-3


@pytest.mark.parametrize(
    ("codec", "pixels", "name", "options"),
    [
        ("libvpx-vp9", "yuva420p", "a.webm", {"cpu-used": "8", "crf": "10", "b": "0"}),
        ("prores_ks", "yuva444p10le", "a.mov", {"profile": "4444"}),
        ("png", "rgba", "a.mov", {}),
        ("ffv1", "bgra", "a.mkv", {}),
    ],
)
def test_alpha_where_it_has_one(
    codec: str,
    pixels: str,
    name: str,
    options: dict[str, str],
    rng: np.random.Generator,
    tmp_path: Path,
) -> None:
    alpha = np.tile(np.linspace(0, 255, SIZE[0]).astype(np.uint8), (SIZE[1], 1))
    frames = [np.dstack([each, alpha]) for each in frames_of(6, rng)]
    path = write_clip(tmp_path / name, frames, codec, pixels, **options)
    clip = inspect_clip(path, name)
    assert clip.has_alpha
    found = clip_codes(path, name, clip, 4, 1)[0]
    scale = 257 if clip.bits > 8 else 1
    assert np.abs(found[..., 3] / scale - alpha).max() < 4
    linear = linear_from_clip(found, clip.tags)
    assert (linear[..., :3] <= linear[..., 3:]).all()  # premultiplied


# --- what people bring ------------------------------------------------------------------------


def test_uneven_frames_are_seen_at_their_times(rng: np.random.Generator, tmp_path: Path) -> None:
    # At 0, 1/24, 4/24, 5/24, 6/24 ... of a second: the second stands for three frames.
    stamps = [0, 25, *range(100, 100 + 25 * 22, 25)]
    path = write_clip(tmp_path / "a.mkv", frames_of(24, rng), "ffv1", "yuv444p", stamps=stamps)
    clip = inspect_clip(path, "a.mkv")
    assert "uneven" in clip.remarks[0]
    found = clip_codes(path, "a.mkv", clip, 0, clip.frames)
    seen = [round((each[8, 8, 0] - 8) / 4) for each in found]
    # In Matroska times are told in milliseconds.
    times = np.arange(clip.frames) / float(clip.rate) + 2e-3
    assert seen == (np.searchsorted(np.array(stamps) / 600, times) - 1).tolist()


@pytest.mark.parametrize(
    ("matrix", "quarters"), [((0, 1, -1, 0, 1, 0), -1), ((-1, 0, 0, -1, 1, 1), 2)]
)
def test_turned_as_the_file_says(
    matrix: tuple[int, ...], quarters: int, rng: np.random.Generator, tmp_path: Path
) -> None:
    path = write_clip(tmp_path / "a.mp4", frames_of(3, rng))
    straight = linear_from_clip(*_first_of(path))
    data = bytearray(path.read_bytes())
    # The track header's matrix (ISO/IEC 14496-12, 8.3): a quarter to the right, or a half.
    at = data.index(b"tkhd") + 4 + 4 + 20 + 8 + 8
    one = 0x10000
    a, b, c, d, right, down = matrix
    turn = (a * one, b * one, 0, c * one, d * one, 0, right * SIZE[1] * one, down * SIZE[1] * one)
    told = b"".join((each & 0xFFFFFFFF).to_bytes(4, "big") for each in (*turn, 0x40000000))
    data[at : at + 36] = told
    path.write_bytes(data)
    clip = inspect_clip(path, "a.mp4")
    assert (clip.width, clip.height) == (SIZE if quarters == 2 else SIZE[::-1])
    found = linear_from_clip(*_first_of(path))
    # By way of codes and not of planes, which mixes colours a little otherwise.
    assert np.abs(found.astype(int) - np.rot90(straight, quarters)).mean() < 200


def _first_of(path: Path) -> tuple[np.ndarray, Tags]:
    clip = inspect_clip(path, path.name)
    return clip_codes(path, path.name, clip, 0, 1)[0], clip.tags


def test_broken_in_the_middle_it_plays_up_to_there(
    rng: np.random.Generator, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = write_clip(tmp_path / "a.ts", frames_of(60, rng), "mpeg2video", g="6")
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    clip = sound_clip(path, "a.ts", inspect_clip(path, "a.ts"))
    assert 20 < clip.frames < 40
    # Its table of frames stands, and so its number of frames; a third of their bytes is gone.
    path = write_clip(tmp_path / "b.mp4", frames_of(60, rng), faststart=True)
    data = path.read_bytes()
    path.write_bytes(data[: len(data) * 2 // 3])
    monkeypatch.setattr("vistaline.core.formats.incoming._PIECE", 10)
    told: list[str] = []
    clip = inspect_clip(path, "b.mp4")
    said = [f"frame {n} of {clip.frames}" for n in range(0, clip.frames, 10)]
    clip = sound_clip(path, "b.mp4", clip, lambda _, words: told.append(words))
    assert told == said[: len(told)] and len(told) > 1
    assert clip.frames < 60 and "plays up to" in " ".join(clip.remarks)
    clip_codes(path, "b.mp4", clip, clip.frames - 1, 1)


def test_what_cannot_be_a_moving_picture(
    rng: np.random.Generator, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sound = tmp_path / "a.mp4"
    with av.open(str(sound), "w") as out:
        stream: Any = out.add_stream("aac", rate=48000)
        quiet = av.AudioFrame.from_ndarray(np.zeros((1, 4096), np.float32), "fltp", "mono")
        quiet.sample_rate = 48000
        out.mux(stream.encode(quiet))
        out.mux(stream.encode())
    with pytest.raises(PictureError, match="no moving picture in it"):
        inspect_clip(sound, "a.mp4")
    cut = tmp_path / "b.mp4"
    cut.write_bytes(write_clip(tmp_path / "c.mp4", frames_of(9, rng)).read_bytes()[:600])
    with pytest.raises(PictureError, match="damaged, or of a kind"):
        inspect_clip(cut, "b.mp4")
    # Ten hours: told by its header, before a packet is read.
    long = write_clip(
        tmp_path / "d.mkv", frames_of(2, rng), "ffv1", "yuv444p", stamps=[0, 36_000 * 600]
    )
    with av.open(str(long)) as made:
        assert made.duration > 35_000 * av.time_base
    monkeypatch.setattr("vistaline.core.picture.streams.MOST_FRAMES", limits.MOST_FRAMES // 10**6)
    with pytest.raises(PictureError, match=r"it is 10\.0 h long"):
        inspect_clip(long, "d.mkv")


def stills(folder: Path, frames: Sequence[np.ndarray], names: Sequence[str]) -> Path:
    with zipfile.ZipFile(folder / "row.zip", "w") as archive:
        for name, codes in zip(names, frames, strict=True):
            data = io.BytesIO()
            Image.fromarray(codes).save(data, "PNG")
            archive.writestr(name, data.getvalue())
    return folder / "row.zip"


def test_a_row_of_stills_is_in_the_order_of_its_numbers(
    rng: np.random.Generator, tmp_path: Path
) -> None:
    frames = frames_of(12, rng)
    names = [f"take/f{n}.png" for n in (*range(8, 16), *range(18, 22))]
    order = rng.permutation(12).tolist()
    path = stills(tmp_path, [frames[n] for n in order], [names[n] for n in order])
    assert is_clip(path)
    clip = inspect_clip(path, "row.zip", Fraction(25))
    assert (clip.frames, clip.rate) == (12, 25)
    assert clip.remarks == ("2 numbers between 8 and 21 are left out",)
    assert (clip_codes(path, "row.zip", clip, 3, 5) == np.array(frames[3:8])).all()
    with (tmp_path / "own.zip").open("wb") as out:
        pack_row([(f"{n}.png", io.BytesIO(b"x")) for n in range(3)], out)
    assert is_clip(tmp_path / "own.zip")
    with pytest.raises(PictureError, match=r"0\.png"):
        inspect_clip(tmp_path / "own.zip", "own.zip")
    path = stills(tmp_path, [frames[0], frames[1][:80]], ["1.png", "2.png"])
    with pytest.raises(
        PictureError, match=r"2\.png has 160 × 80 pixels, and the first frame 160 × 90"
    ):
        inspect_clip(path, "row.zip")


# --- in a shot --------------------------------------------------------------------------------


def test_what_is_seen_when_it_blends() -> None:
    half = Running(pace=0.5, blends=True)
    seen = frames_seen(half, range(6), Fraction(24), frames=3, own_rate=Fraction(24))
    assert seen.tolist() == [0, 0.5, 1, 1.5, 2, 2]
    slow = Running(ends=Held.LOOPED, blends=True)
    seen = frames_seen(slow, range(6), Fraction(24), frames=2, own_rate=Fraction(12))
    assert seen.tolist() == [0, 0.5, 1, 1, 0, 0.5]


@pytest.fixture
def clip_file(rng: np.random.Generator, tmp_path: Path) -> Path:
    return write_clip(tmp_path / "drift.mkv", frames_of(20, rng), "ffv1", "bgr0", rate=Fraction(12))


def shot_with(path: Path, runs: dict[str, Any]) -> Shot:
    """A clip that fills the frame of a still camera."""
    return make_shot(
        {"clip": SIZE},
        frame={"width": SIZE[0], "height": SIZE[1], "duration": 40},
        route={"framings": [{"frame": 0, "lens": 36}]},
        pictures={
            "clip": {
                "file": str(path),
                "width": SIZE[0],
                "height": SIZE[1],
                "frames": 20,
                "rate": "12",
            }
        },
        layers=[
            {
                "id": "clip",
                "name": "Drift",
                "shows": {"kind": "picture", "picture": "clip", "runs": runs},
                "stands": {"kind": "card", "width": 1},
                "distance": 1,
            }
        ],
    )


def codes_at(shot: Shot, frame: int, path: Path) -> np.ndarray:
    black = pyramid_of(np.zeros((SIZE[1], SIZE[0], 4), np.uint16))
    looks = Looks(shot, None, lambda _: black, moving=MovingFrames(lambda _: (path, None)))  # type: ignore[arg-type]
    return Renderer(shot, looks).rgb(frame)


def test_it_is_the_clips_own_frame_at_its_own_rate(clip_file: Path) -> None:
    clip = inspect_clip(clip_file, "drift.mkv")
    assert not clip.planar
    own = clip_codes(clip_file, "drift.mkv", clip, 0, 20)
    shot = shot_with(clip_file, {"begins": 2, "ends": "looped"})
    for frame, wanted in ((0, 0), (2, 0), (3, 0), (4, 1), (21, 9), (41, 19), (39, 18)):
        found = codes_at(shot, frame, clip_file)
        if frame < 40:
            assert np.abs(found.astype(int) - own[wanted])[2:-2, 2:-2].max() <= 1
    blended = do(shot, "set_running", layer="clip", blends=True)
    linear = [linear_from_clip(each, clip.tags).astype(float) for each in own[:2]]
    half = codes_from_linear(((linear[0] + linear[1]) / 2).round().astype(np.uint16))[..., :3]
    assert np.abs(codes_at(blended, 3, clip_file).astype(int) - half)[2:-2, 2:-2].max() <= 1


def test_time_by_keys(clip_file: Path) -> None:
    shot = edits.apply(
        shot_with(clip_file, {}), "set_running", {"layer": "clip", "stands": True}, at=9
    )
    assert shot.layer("clip").runs.seen == 4
    own = clip_codes(clip_file, "x", inspect_clip(clip_file, "x"), 0, 20)
    assert np.abs(codes_at(shot, 30, clip_file).astype(int) - own[4])[2:-2, 2:-2].max() <= 1
    with pytest.raises(EditError, match="frames 0 to 19; it cannot stand with 20"):
        do(shot, "set_running", layer="clip", seen=20)
    keys = [{"frame": n, "value": value, "ease": "linear"} for n, value in ((0, 15), (30, 0))]
    row = {"of": "layer:clip", "value": "seen", "keys": keys}
    keyed = parse_shot(dump_shot(shot) | {"rows": [row]})
    for frame, wanted in ((0, 15), (10, 10), (30, 0), (39, 0)):
        found = codes_at(keyed, frame, clip_file)
        assert np.abs(found.astype(int) - own[wanted])[2:-2, 2:-2].max() <= 1


def test_swapped_and_refused(clip_file: Path) -> None:
    shot = shot_with(clip_file, {"pace": 2})
    ref = shot.pictures["clip"]
    still = do(
        shot, "swap_picture", layer="clip", key="p", picture=ref.evolve(frames=None, rate=None)
    )
    assert still.layer("clip").runs is None
    passing = do(still, "set_drift", layer="clip", drifts=True, percent=3)
    other = still.pictures["p"].evolve(file="other")
    passing = do(passing, "swap_picture", layer="clip", key="o", picture=other)
    assert passing.layer("clip").drifts == Drift(speed=0.03)
    again = do(still, "swap_picture", layer="clip", key="q", picture=ref)
    assert again.layer("clip").runs == Running()


def test_a_shot_file_names_a_clip(clip_file: Path) -> None:
    document = dump_shot(shot_with(clip_file, {}))
    document["pictures"] = {"clip": {"file": "drift.mkv"}}
    file = clip_file.parent / "shot.json"
    file.write_text(json.dumps(document))
    shot, _ = read_shot_file(file)
    assert (shot.pictures["clip"].frames, shot.pictures["clip"].rate) == (20, 12)
    Image.new("RGB", SIZE).save(clip_file.parent / "still.png")
    file.write_text(json.dumps(document | {"pictures": {"clip": {"file": "still.png"}}}))
    with pytest.raises(ShotError, match=r"still\.png does not move"):
        read_shot_file(file)
    file.write_text(json.dumps(document))
    clip_file.write_bytes(b"\x1aE\xdf\xa3 no clip")
    with pytest.raises(CoreError, match=r"drift\.mkv: the clip is damaged"):
        read_shot_file(file)


# --- what passes by ---------------------------------------------------------------------------


def test_a_picture_passes_by_without_end(rng: np.random.Generator) -> None:
    """By the Fourier shift theorem: a picture of few waves, shifted by any part of a pixel."""
    x = (np.arange(256) + 0.5) / 256
    waves = [(n, rng.random(), 2 * np.pi * rng.random()) for n in (1, 2, 5, 20)]

    def row(passed: float) -> np.ndarray:
        light = sum(a * np.cos(2 * np.pi * n * (x - passed) + p) for n, a, p in waves)
        return np.asarray(30000 + 6000 * light)

    picture = np.zeros((8, 256, 4), np.uint16)
    picture[..., 3], picture[..., :3] = 65535, row(0)[None, :, None].round()
    for passed in (0.25, 3.337, -0.1234):
        assert np.abs(drifted(picture, passed)[4, :, 0] - row(passed)).max() < 60


def test_joined_ends_go_on(rng: np.random.Generator) -> None:
    noise = rng.random((60, 240, 3)).astype(np.float32)
    sky = cv2.normalize(cv2.GaussianBlur(noise, (0, 0), 4), None, 0.1, 0.9, cv2.NORM_MINMAX)
    joined = ends_joined(sky, 0.2, 1)
    step = np.abs(joined[:, 0] - joined[:, -1]).mean()
    inside = np.abs(np.diff(sky, axis=1)).mean()
    assert np.abs(sky[:, 0] - sky[:, -1]).mean() > 4 * inside
    assert step < 2 * inside
    # What is not made anew stays.
    assert (joined[:, 30:-30] == sky[:, 30:-30]).all()
    # Of a cutout its alpha goes on, too, and what was not seen darkens nothing.
    alpha = np.clip(4 * (sky[..., 0] - 0.4), 0, 1)
    cut = Prepared(colour=sky * (alpha > 0)[..., None], alpha=alpha)
    done = JoinEnds(width=0.2).done(cut, np.eye(3), (240, 60))
    assert done.alpha is not None
    step = np.abs(done.alpha[:, 0] - done.alpha[:, -1]).mean()
    assert step < 2 * np.abs(np.diff(alpha, axis=1)).mean()
    assert done.colour[done.alpha > 0.3].min() > 0.09


def test_drift_in_a_shot_is_keyed_and_ends() -> None:
    shot = make_shot({"sky": (320, 180)}, frame={"width": 320, "height": 180, "duration": 48})
    shot = do(shot, "set_drift", layer="sky", drifts=True, percent=50)
    track = track_of(shot, shot.layer("sky"), range(48))
    assert len(set(track.textures)) == 48
    _, looking = layer_looking(shot, shot.layer("sky"), 36)
    assert looking.drifts and looking.drifts.passed == pytest.approx(0.75)
    keyed = edits.apply(shot, "set_drift", {"layer": "sky", "passed": 20, "percent": 0}, at=5)
    _, looking = layer_looking(keyed, keyed.layer("sky"), 36)
    assert looking.drifts and looking.drifts.passed == pytest.approx(0.2)
    assert do(shot, "set_drift", layer="sky", drifts=False).layer("sky").drifts is None
    flat = np.zeros((180, 320, 4), np.uint16)
    flat[..., 3], flat[:, :160, 0] = 65535, 65535
    looks = Looks(shot, None, lambda _: pyramid_of(flat))  # type: ignore[arg-type]
    # After a second half of it has passed: what was left is right.
    first, after = (Renderer(shot, looks).rgb(n)[90, (40, 280), 0].tolist() for n in (0, 24))
    assert (first, after) == ([255, 0], [0, 255])
