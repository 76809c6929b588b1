"""The shot file: JSON with pictures named by relative path. See docs/shot-file.md."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np

from vistaline.core.errors import PictureError, ShotError
from vistaline.core.files import write_atomically
from vistaline.core.formats.incoming import picture_codes
from vistaline.core.looks.typefaces import shelve
from vistaline.core.near import meant
from vistaline.core.picture.clip import Clip
from vistaline.core.picture.clips import USUAL_RATE, inspect_clip, is_clip
from vistaline.core.picture.decode import PictureInfo, inspect_picture
from vistaline.core.shot.document import complete, dump_shot, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.raising import told_heights

__all__ = [
    "beside",
    "completed",
    "load_json",
    "picture_paths",
    "read_shot_file",
    "with_paths",
    "write_shot_file",
]


def read_shot_file(path: Path) -> tuple[Shot, dict[str, Path]]:
    """Return the shot, completed from its pictures' headers, and each picture's path by key.

    Raises
    ------
    ShotError
        The file cannot be read, is not JSON, or its shot makes no sense.
    PictureError
        A picture is missing, lies outside the shot file's folder, or cannot be read.
    """
    return _read(path, 0)


_DEEPEST = 4
"""So many shots may lie one within the other; one that shows itself lies in itself without end."""


def _read(path: Path, depth: int) -> tuple[Shot, dict[str, Path]]:
    shot = parse_shot(load_json(path))
    if shot.shots and depth >= _DEEPEST:
        raise ShotError(
            f"{path.name}: more than {_DEEPEST} shots lie one within the other, or one shows "
            "itself. Take one out of the others."
        )
    inner = {}
    for key, ref in shot.shots.items():
        if ref.document is not None:
            continue
        other, pictures = _read(beside(path.parent.resolve(), ref.file), depth + 1)
        inner[key] = ref.evolve(
            name=other.name,
            width=other.frame.width,
            height=other.frame.height,
            frames=other.duration,
            rate=other.frame.rate,
            document=dump_shot(with_paths(other, pictures)),
        )
    if inner:
        shot = shot.evolve(shots=shot.shots | inner)
    paths = picture_paths(shot, path.parent)
    shelve(path.parent.resolve() / "type")
    return completed(shot, paths), paths


def completed(shot: Shot, paths: Mapping[str, Path]) -> Shot:
    """Return a shot with what its pictures' files say: sizes, and frames of those that move.

    Raises
    ------
    PictureError
        One of them cannot be read.
    """
    sizes, pictures = {}, dict(shot.pictures)
    raising = {layer.relief.depth for layer in shot.layers if layer.relief}
    for key, path in paths.items():
        found: PictureInfo | Clip
        if is_clip(path):
            found = inspect_clip(path, path.name, shot.pictures[key].rate or USUAL_RATE)
            pictures[key] = pictures[key].evolve(frames=found.frames, rate=found.rate)
        else:
            found = inspect_picture(path, path.name)
        if key in raising:
            codes = picture_codes(path, path.name)[..., 0]
            heights = told_heights(codes.astype(np.float32) / np.iinfo(codes.dtype).max)
            pictures[key] = pictures[key].evolve(heights=heights)
        sizes[key] = found.width, found.height
    for layer in shot.layers:
        if layer.runs and layer.picture and pictures[layer.picture].frames is None:
            raise ShotError(
                f"Layer {layer.name!r} runs, but {paths[layer.picture].name} does not move. Take "
                "“runs” away from what it shows, or name a clip."
            )
    return complete(shot.evolve(pictures=pictures), sizes)


def load_json(path: Path) -> Any:
    """Return what is in a JSON file; ShotError if it cannot be read."""
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) else "it is not text"
        raise ShotError(f"{path.name} cannot be read: {reason}.") from error
    try:
        return json.loads(text)
    except json.JSONDecodeError as error:
        raise ShotError(
            f"{path.name} is not valid JSON: {error.msg} in line {error.lineno}, "
            f"column {error.colno}."
        ) from error
    except RecursionError as error:
        raise ShotError(f"{path.name} is nested too deeply to be a shot file.") from error


def with_paths(shot: Shot, pictures: Mapping[str, Path]) -> Shot:
    """Return a shot that names its pictures by their whole paths."""
    return shot.evolve(
        pictures={
            key: ref.evolve(file=str(pictures[key].resolve())) for key, ref in shot.pictures.items()
        }
    )


def beside(folder: Path, name: str) -> Path:
    """Return where a shot file lies that another file names; only below its folder."""
    found = (folder / PurePosixPath(name)).resolve()
    if PurePosixPath(name).is_absolute() or not found.is_relative_to(folder):
        raise ShotError(f"{name}: shots must lie beside the file that names them, or below it.")
    return found


def picture_paths(shot: Shot, folder: Path) -> dict[str, Path]:
    """Return where each picture lies; only files below ``folder`` are accepted.

    Raises
    ------
    PictureError
        One of them does not; ``also`` has what is wrong with the others.
    """
    paths, refused = {}, []
    root = folder.resolve()
    for key, picture in shot.pictures.items():
        named = PurePosixPath(picture.file)
        found = (root / named).resolve()
        if named.is_absolute() or not found.is_relative_to(root):
            reason = "pictures must lie beside the shot file or in a folder below it."
            refused.append(PictureError(picture.file, reason))
        elif not found.is_file():
            beside = [each.name for each in found.parent.glob("*")]
            reason = f"there is no such file in {root.name}/. {meant(found.name, beside)}"
            refused.append(PictureError(picture.file, reason.strip()))
        else:
            paths[key] = found
    if refused:
        refused[0].also = [str(each) for each in refused[1:]]
        raise refused[0]
    return paths


def write_shot_file(shot: Shot, path: Path, pictures: Mapping[str, str]) -> None:
    """Write a shot with ``pictures`` (relative paths by key) in place of what it names."""
    renamed = shot.evolve(
        pictures={key: ref.evolve(file=pictures[key]) for key, ref in shot.pictures.items()}
    )
    write_atomically(path, (json.dumps(dump_shot(renamed), indent=2) + "\n").encode())
