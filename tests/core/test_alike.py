"""The same shot makes the same bytes: on every run, by one process or two, in whatever folder."""

import hashlib
import shutil
from pathlib import Path

import pytest

from tests.core.test_formats import run


def made(shot_file: Path, folder: Path, key: str, *how: str) -> str:
    """Render and return the SHA-256 of all that came of it."""
    folder.mkdir()
    ending = {"mp4": ".mp4", "hevc": ".mp4", "vp9": ".webm", "exr": "%04d.exr"}[key]
    target = folder / f"it{ending}"
    run("render", shot_file, "-o", target, "--as", key, "--scale", "0.5", *how,
        folder=shot_file.parent)  # fmt: skip
    files = sorted(folder.iterdir())
    return hashlib.sha256(b"".join(path.read_bytes() for path in files)).hexdigest()


@pytest.mark.parametrize("key", ["mp4", "hevc", "vp9", "exr"])
def test_the_same_shot_makes_the_same_bytes(key: str, shot_file: Path, tmp_path: Path) -> None:
    first = made(shot_file, tmp_path / "a", key)
    assert made(shot_file, tmp_path / "b", key, "--workers", "2") == first
    if key == "mp4":
        # Elsewhere, with a picture by another name: the hash is of what it holds.
        elsewhere = tmp_path / "elsewhere"
        elsewhere.mkdir()
        shutil.copy(shot_file.with_name("rock.png"), elsewhere / "stone.png")
        shutil.copy(shot_file.with_name("bay.jpg"), elsewhere)
        there = elsewhere / "there.json"
        there.write_text(shot_file.read_text().replace("rock.png", "stone.png"))
        assert made(there, tmp_path / "c", key) == first
        # And what is another shot does not say that it is this.
        there.write_text(there.read_text().replace("Push in", "Push on"))
        assert made(there, tmp_path / "d", key) != first
