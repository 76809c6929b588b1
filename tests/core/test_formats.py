"""Files out and in: clips by ffprobe, sequences, shot files, the command line."""

import json
import os
import subprocess
import sys
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image

from vistaline.core.errors import PictureError, RenderError, ShotError
from vistaline.core.formats.coded import H264
from vistaline.core.formats.encoders import ClipFormat
from vistaline.core.formats.shotfile import read_shot_file, write_shot_file
from vistaline.core.formats.video import ClipWriter, join_clips
from vistaline.core.picture.colour import encode_srgb, linearise_srgb
from vistaline.core.timing import parse_rate

PLAIN = H264.coding(H264.options())


def probe(path: Path) -> dict[str, str]:
    """What ffprobe says of a clip's video, every frame decoded and counted."""
    command = ["ffprobe", "-v", "error", "-select_streams", "v:0", "-count_frames", "-of", "json"]
    done = subprocess.run(
        [*command, "-show_streams", str(path)], capture_output=True, check=True, text=True
    )
    assert done.stderr == ""
    return json.loads(done.stdout)["streams"][0]


def run(*arguments: object, folder: Path, fails: bool = False) -> subprocess.CompletedProcess:
    done = subprocess.run(
        [sys.executable, "-m", "vistaline.cli", *map(str, arguments)],
        capture_output=True,
        text=True,
        cwd=folder,
        env=os.environ | {"VISTALINE_CACHE": str(folder / "cache")},
        check=False,
    )
    assert (done.returncode != 0) == fails, done.stderr
    return done


def frames_of(path: Path) -> list[np.ndarray]:
    with av.open(str(path)) as clip:
        return [frame.to_ndarray(format="gray") for frame in clip.decode(video=0)]


def noisy(rng: np.random.Generator, count: int) -> list[np.ndarray]:
    """Frames that drift, so that the encoder uses B-frames."""
    import cv2

    texture = cv2.GaussianBlur(rng.random((400, 600)).astype(np.float32), (0, 0), 3)
    texture = (texture - texture.min()) / np.ptp(texture) * 219 + 16
    planes = []
    for n in range(count):
        frame = np.full((270, 320), 128, np.uint8)
        frame[:180] = texture[n : n + 180, 2 * n : 2 * n + 320]
        planes.append(frame)
    return planes


@pytest.mark.parametrize("name", ["23.976", "25", "59.94"])
def test_joined_pieces_are_one_clip_of_exact_rate(
    name: str, rng: np.random.Generator, tmp_path: Path
) -> None:
    rate, frames = parse_rate(name), noisy(rng, 41)
    pieces = []
    for start, stop in ((0, 15), (15, 27), (27, 41)):
        pieces.append(tmp_path / f"{start}.mp4")
        with ClipWriter(pieces[-1], ClipFormat((320, 180), rate), PLAIN) as writer:
            for n, frame in enumerate(frames[start:stop], start):
                writer.write(n, frame.copy())
    join_clips(pieces, tmp_path / "whole.mp4", ClipFormat((320, 180), rate))
    facts = probe(tmp_path / "whole.mp4")
    assert facts["codec_name"] == "h264" and facts["pix_fmt"] == "yuv420p"
    assert facts["avg_frame_rate"] == facts["r_frame_rate"]
    assert facts["avg_frame_rate"] == f"{rate.numerator}/{rate.denominator}"
    assert int(facts["nb_read_frames"]) == int(facts["nb_frames"]) == 41
    tags = [facts[f"color_{each}"] for each in ("space", "transfer", "primaries", "range")]
    assert tags == ["bt709", "bt709", "bt709", "tv"]
    decoded = frames_of(tmp_path / "whole.mp4")
    assert len(decoded) == 41
    for n, (frame, original) in enumerate(zip(decoded, frames, strict=True)):
        # Right frame in the right place: nearer to its own original than to its neighbours'.
        grey = (original[:180].astype(float) - 16) * 255 / 219
        near = [
            np.abs(frame - (frames[k][:180].astype(float) - 16) * 255 / 219).mean()
            for k in (n - 1, n + 1)
            if 0 <= k < 41
        ]
        assert np.abs(frame - grey).mean() < min(near) / 2


def test_a_clip_that_fails_leaves_nothing(tmp_path: Path) -> None:
    path, clip = tmp_path / "clip.mp4", ClipFormat((320, 180), parse_rate(24))
    with pytest.raises(ZeroDivisionError), ClipWriter(path, clip, PLAIN) as writer:
        writer.write(0, np.zeros((270, 320), np.uint8))
        raise ZeroDivisionError
    with pytest.raises(RenderError), ClipWriter(path, clip, PLAIN) as writer:
        for n in range(9):
            writer.write(n, np.zeros((10, 320), np.uint8))
    assert list(tmp_path.iterdir()) == []


def test_the_readmes_shot_file_renders_from_the_command_line(shot_file: Path) -> None:
    folder = shot_file.parent
    assert len(shot_file.read_text().splitlines()) < 40
    assert "2 layers, 2 framings" in run("check", shot_file, folder=folder).stdout
    run("render", shot_file, "-o", "clip.mp4", folder=folder)
    facts = probe(folder / "clip.mp4")
    assert (facts["width"], facts["height"]) == (320, 180)
    assert (facts["avg_frame_rate"], facts["nb_read_frames"]) == ("24000/1001", "30")
    run("render", shot_file, "-o", "half.mp4", "--scale", "0.5", "--workers", "2", folder=folder)
    assert (probe(folder / "half.mp4")["width"], probe(folder / "half.mp4")["nb_read_frames"]) == (
        160,
        "30",
    )
    run("render", shot_file, "-o", "frames/%04d.png", "--frames", "3-5", folder=folder)
    names = sorted(path.name for path in (folder / "frames").iterdir())
    assert names == ["0003.png", "0004.png", "0005.png"]
    still = np.asarray(Image.open(folder / "frames" / "0004.png").convert("L")).astype(float)
    assert np.abs(still - frames_of(folder / "clip.mp4")[4]).mean() < 4
    assert not [path for path in folder.iterdir() if path.name.startswith(".")]


def test_effects_are_rendered_from_the_command_line(shot_file: Path) -> None:
    """In two tones each pixel lies between the two."""
    folder = shot_file.parent
    document = json.loads(shot_file.read_text())
    tones = {"kind": "tones", "id": "e1", "name": "Two", "dark": "#102030", "light": "#f0d0a0"}
    toned = folder / "toned.json"
    toned.write_text(json.dumps(document | {"dressing": [tones]}))
    run("render", toned, "-o", "toned/%04d.png", "--frames", "4-4", folder=folder)
    codes = np.asarray(Image.open(folder / "toned" / "0004.png").convert("RGB")).astype(float)
    share = (codes - [16, 32, 48]) / [224, 176, 112]
    assert np.ptp(share, axis=2).max() < 0.03 and np.ptp(share) > 0.3
    tones["dark"] = "slate"
    toned.write_text(json.dumps(document | {"dressing": [tones]}))
    done = run("render", toned, "-o", "no/%04d.png", folder=folder, fails=True)
    assert "slate" in done.stderr and "Traceback" not in done.stderr


@pytest.mark.parametrize(
    ("arguments", "sentence"),
    [
        (["render", "push-in.json", "-o", "clip.avi"], "let its name end with"),
        (["render", "push-in.json", "-o", "still.png"], "no place for the frame's number"),
        (["render", "push-in.json", "-o", "a.mp4", "--frames", "20-99"], "frames 0 to 29"),
        (["render", "nowhere.json", "-o", "a.mp4"], "nowhere.json cannot be read"),
        (["check", "bay.jpg"], "bay.jpg cannot be read: it is not text"),
    ],
)
def test_the_command_line_refuses_in_a_sentence(
    shot_file: Path, arguments: list[str], sentence: str
) -> None:
    done = run(*arguments, folder=shot_file.parent, fails=True)
    assert sentence in done.stderr
    assert "Traceback" not in done.stderr
    assert not list(shot_file.parent.glob("*.mp4"))


def test_the_published_schema_is_what_the_command_prints(tmp_path: Path) -> None:
    printed = json.loads(run("schema", folder=tmp_path).stdout)
    published = json.loads((Path(__file__).parents[2] / "docs" / "shot.schema.json").read_text())
    assert printed == published


def test_a_shot_file_round_trips(shot_file: Path) -> None:
    shot, _ = read_shot_file(shot_file)
    copy = shot_file.with_name("copy.json")
    write_shot_file(shot, copy, {key: ref.file for key, ref in shot.pictures.items()})
    assert read_shot_file(copy)[0] == shot


@pytest.mark.parametrize(
    ("change", "refusal", "sentence"),
    [
        (("rock.png", "../rock.png"), PictureError, "beside the shot file"),
        (("rock.png", "/etc/passwd"), PictureError, "beside the shot file"),
        (("rock.png", "gone.png"), PictureError, "there is no such file"),
        (('"vistaline": 2', '"vistaline": 99'), ShotError, "version 99"),
        (("{", "", 1), ShotError, "is not valid JSON"),
    ],
)
def test_shot_files_that_make_no_sense(
    shot_file: Path, change: tuple, refusal: type[Exception], sentence: str
) -> None:
    shot_file.write_text(shot_file.read_text().replace(*change))
    with pytest.raises(refusal, match=sentence):
        read_shot_file(shot_file)


def test_all_that_is_wrong_with_a_file_is_told_at_once_by_layers_names(shot_file: Path) -> None:
    document = json.loads(shot_file.read_text())
    first, second = document["layers"][:2]
    first["opacity"], second["distance"], second["opacitty"] = 3, -1, 1
    document["cameras"][0]["route"]["framings"][1]["ease"] = "ese-in"
    shot_file.write_text(json.dumps(document))
    told = run("check", shot_file, folder=shot_file.parent, fails=True).stderr.splitlines()
    assert len(told) == 4
    for words in (f"Layer {first['name']!r}: opacity must", f"Layer {second['name']!r}: distance",
                  "Did you mean 'opacity'?", "Did you mean 'ease-in'?"):  # fmt: skip
        assert any(words in line for line in told), (words, told)


def test_all_that_does_not_fit_and_all_missing_files_are_told(shot_file: Path) -> None:
    whole = json.loads(shot_file.read_text())
    document = json.loads(shot_file.read_text())
    for layer in document["layers"][:2]:
        layer["frame_style"] = "none"
    shot_file.write_text(json.dumps(document))
    assert (
        len(
            [
                line
                for line in run(
                    "check", shot_file, folder=shot_file.parent, fails=True
                ).stderr.splitlines()
                if "frame style 'none'" in line
            ]
        )
        == 2
    )
    for picture in whole["pictures"].values():
        picture["file"] = picture["file"].replace(".", "s.")
    shot_file.write_text(json.dumps(whole))
    told = run("check", shot_file, folder=shot_file.parent, fails=True).stderr.splitlines()
    assert len(told) == len(whole["pictures"])
    assert all("no such file" in line and "Did you mean" in line for line in told)


def test_frames_with_transparency_over_a_background_are_the_frames(
    shot_file: Path, tmp_path: Path
) -> None:
    document = json.loads(shot_file.read_text())
    document["background"] = "#204060"
    document["layers"] = document["layers"][1:]  # the cutout alone
    shot_file.write_text(json.dumps(document))
    run("render", shot_file, "-o", "a/%04d.alpha.png", "--frames", "0-0", folder=tmp_path)
    run("render", shot_file, "-o", "b/%04d.png", "--frames", "0-0", folder=tmp_path)
    seen = Image.open(tmp_path / "a/0000.alpha.png")
    whole = np.asarray(Image.open(tmp_path / "b/0000.png")).astype(float)
    assert seen.mode == "RGBA"
    rgba = np.asarray(seen).astype(float)
    assert (rgba[..., 3] == 0).any() and (rgba[..., 3] == 255).any()
    # Source-over in linear light (W3C Compositing 1, section 5.1); its transfer: test_colour.
    light, ground = (
        linearise_srgb(rgba[..., :3] / 255),
        linearise_srgb(np.array([0x20, 0x40, 0x60]) / 255),
    )
    alpha = rgba[..., 3:] / 255
    over = encode_srgb(light * alpha + ground * (1 - alpha)) * 255
    assert np.abs(over - whole).max() <= 2
