"""Files named by their content, written atomically: temporary file, fsync, rename, fsync.

They are for the account alone that Vistaline runs as: temporary files are, and the start command
sets its mask so for all others.
"""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from vistaline.core.files import replace_safely

__all__ = ["FileStore", "Incoming"]


_FOLDERS = (
    "incoming", "pictures", "type", "documents", "pyramids", "previews", "renders", "derived",
)  # fmt: skip


@dataclass(frozen=True)
class Incoming:
    """A file that has arrived but is not kept yet."""

    path: Path
    sha256: str
    size: int


class FileStore:
    """One folder: pictures as they came, pyramids, previews, renders.

    ``documents/`` holds what pictures are taken out of, ``derived/`` what can be computed again.
    """

    def __init__(self, root: Path) -> None:
        self.root = root
        for name in _FOLDERS:
            (root / name).mkdir(parents=True, exist_ok=True)
        # Nobody else's account of this machine looks into it.
        root.chmod(0o700)

    @contextmanager
    def receive(self, stream: BinaryIO) -> Iterator[Incoming]:
        """Take in a stream; the file is gone again at the end unless it was kept."""
        handle, name = tempfile.mkstemp(dir=self.root / "incoming")
        path = Path(name)
        try:
            digest = hashlib.sha256()
            with os.fdopen(handle, "wb") as file:
                while chunk := stream.read(1 << 20):
                    digest.update(chunk)
                    file.write(chunk)
                file.flush()
                os.fsync(file.fileno())
            yield Incoming(path, digest.hexdigest(), path.stat().st_size)
        finally:
            path.unlink(missing_ok=True)

    def keep(self, incoming: Incoming, extension: str, *, folder: str = "pictures") -> str:
        """Give a file its place among the pictures; returns its name below the root."""
        name = f"{folder}/{incoming.sha256[:2]}/{incoming.sha256}.{extension}"
        place = self.root / name
        place.parent.mkdir(exist_ok=True)
        replace_safely(incoming.path, place)
        return name

    def keep_type(self, incoming: Incoming, extension: str) -> str:
        """Give a font its place; returns its name below the root."""
        name = f"type/{incoming.sha256}.{extension}"
        replace_safely(incoming.path, self.root / name)
        return name

    def path(self, name: str) -> Path:
        """Return where a stored file lies."""
        return self.root / name

    def derived(self, kind: str, name: str) -> Path:
        """Return where something that can be computed again lies, or would lie."""
        folder = self.root / "derived" / kind
        folder.mkdir(parents=True, exist_ok=True)
        return folder / name

    def prune(self, kind: str, keep: int) -> None:
        """Remove the derived files that were not used for longest, all but ``keep``."""
        found = sorted((self.root / "derived" / kind).glob("*.*"), key=_last_use, reverse=True)
        for path in found[keep:]:
            path.unlink(missing_ok=True)

    @contextmanager
    def alone(self, kind: str, name: str) -> Iterator[None]:
        """Wait until nobody else, in any process, computes this; then let others wait."""
        with self.derived("locks", f"{kind}-{name}").open("w") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            yield

    def render_folder(self, job_id: int) -> Path:
        """Return the folder of a render's pieces and result."""
        folder = self.root / "renders" / str(job_id)
        folder.mkdir(exist_ok=True)
        return folder

    def discard_render(self, job_id: int) -> None:
        """Remove a render's files."""
        shutil.rmtree(self.root / "renders" / str(job_id), ignore_errors=True)


def _last_use(path: Path) -> float:
    try:
        return path.stat().st_mtime
    except FileNotFoundError:
        return 0.0
