"""Files that are there whole or not at all, also after a cut of power."""

from __future__ import annotations

import os
import uuid
from pathlib import Path

__all__ = ["replace_safely", "sync", "write_atomically"]


def write_atomically(path: Path, data: bytes) -> None:
    """Write a file so that a reader finds the old one or the new one, whole."""
    path.parent.mkdir(parents=True, exist_ok=True)
    # Opened by its name, so that the account's umask says who may read it.
    temporary = path.with_name(f".{path.name}.{uuid.uuid4().hex[:8]}.part")
    try:
        with temporary.open("xb") as file:
            file.write(data)
        replace_safely(temporary, path)
    except BaseException:
        temporary.unlink(missing_ok=True)
        raise


def replace_safely(unfinished: Path, path: Path) -> None:
    """Rename a finished file into its place; file and folder have reached the disk then.

    Without the first, a cut of power may leave the name with nothing behind it; without the
    second, no name.
    """
    sync(unfinished)
    os.replace(unfinished, path)
    sync(path.parent)


def sync(path: Path) -> None:
    """Wait until a file, or a folder's list of names, has reached the disk."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
