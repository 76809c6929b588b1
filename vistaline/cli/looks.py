"""What shots look like whose pictures lie in files: read once, and kept in a folder of its own."""

from __future__ import annotations

import hashlib
import os
from functools import partial
from pathlib import Path

from vistaline.core.formats.incoming import keep_pyramid
from vistaline.core.formats.moving import MovingFrames
from vistaline.core.picture.pyramid import Pyramid, PyramidStore
from vistaline.core.render.nested import NestedFrames
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.drawn import Looks

__all__ = ["content_of", "open_looks"]


def content_of(file: str) -> str:
    """Return the SHA-256 of a file: what is made of it is kept by that, whatever it is called."""
    with open(file, "rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def open_looks(shot: Shot) -> Looks:
    """Return what a shot's layers look like; its pictures are named by their whole paths."""
    pictures = {key: Path(ref.file) for key, ref in shot.pictures.items()}
    cache = os.environ.get("VISTALINE_CACHE") or Path.home() / ".cache" / "vistaline"
    store = PyramidStore(Path(cache) / "pyramids")
    contents = {key: content_of(ref.file) for key, ref in shot.pictures.items()}
    references = {
        key: reference.evolve(file=contents[key]) for key, reference in shot.pictures.items()
    }

    def picture(key: str) -> Pyramid:
        path = pictures[key]
        return store.get_written(contents[key], partial(keep_pyramid, path, path.name))

    moving = MovingFrames(lambda key: (pictures[key], shot.pictures[key].rate))
    seen = shot.evolve(pictures=references)
    looks = Looks(seen, store, picture, NestedFrames(open_looks), moving)
    for _ in looks.values():
        pass  # made once, before workers would all make the same
    return looks
