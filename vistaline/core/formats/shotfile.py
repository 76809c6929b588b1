"""The shot file: JSON with pictures named by relative path. See docs/shot-file.md."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path, PurePosixPath

from vistaline.core.errors import PictureError, ShotError
from vistaline.core.files import write_atomically
from vistaline.core.looks.typefaces import shelve
from vistaline.core.near import meant
from vistaline.core.picture.decode import inspect_picture
from vistaline.core.shot.document import complete, dump_shot, parse_shot
from vistaline.core.shot.shot import Shot

__all__ = ["read_shot_file", "write_shot_file"]


def read_shot_file(path: Path) -> tuple[Shot, dict[str, Path]]:
    """Return the shot, completed from its pictures' headers, and each picture's path by key.

    Raises
    ------
    ShotError
        The file cannot be read, is not JSON, or its shot makes no sense.
    PictureError
        A picture is missing, lies outside the shot file's folder, or cannot be read.
    """
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) else "it is not text"
        raise ShotError(f"{path.name} cannot be read: {reason}.") from error
    try:
        document = json.loads(text)
    except json.JSONDecodeError as error:
        raise ShotError(
            f"{path.name} is not valid JSON: {error.msg} in line {error.lineno}, "
            f"column {error.colno}."
        ) from error
    except RecursionError as error:
        raise ShotError(f"{path.name} is nested too deeply to be a shot file.") from error
    shot = parse_shot(document)
    paths = picture_paths(shot, path.parent)
    shelve(path.parent.resolve() / "type")
    infos = {key: inspect_picture(found, found.name) for key, found in paths.items()}
    return complete(shot, {key: (info.width, info.height) for key, info in infos.items()}), paths


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
