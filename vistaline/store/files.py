"""Files named by their content, written atomically: temporary file, fsync, rename, fsync.

They are for the account alone that Vistaline runs as: temporary files are, and the start command
sets its mask so for all others.
"""

from __future__ import annotations

import errno
import fcntl
import hashlib
import os
import shutil
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from vistaline.core.files import replace_safely, write_atomically

__all__ = ["FileStore", "Incoming", "Shelf", "StoreAway"]


_FOLDERS = (
    "incoming", "pictures", "type", "documents", "pyramids", "previews", "renders", "derived",
)  # fmt: skip


class StoreAway(OSError):
    """The file store does not answer."""


@dataclass(frozen=True)
class Incoming:
    """A file that has arrived but is not kept yet."""

    path: Path
    sha256: str
    size: int


class FileStore:
    """One folder: pictures as they came, pyramids, previews, renders.

    ``documents/`` holds what pictures are taken out of, ``derived/`` what can be computed again.

    All machines see the folder, so what one of them has written is there for the others. Where
    they do not (``bucket.BucketStore``), ``share`` hands a file to the others, and ``path``,
    ``find`` and ``bring`` bring it here; in a folder that all see, these have nothing to do.
    """

    def __init__(self, root: Path) -> None:
        self.root = root
        for name in _FOLDERS:
            (root / name).mkdir(parents=True, exist_ok=True)
        # Nobody else's account of this machine looks into it.
        root.chmod(0o700)

    # --- what all machines see --------------------------------------------------------------

    def path(self, name: str) -> Path:
        """Return where a stored file lies, or would lie."""
        path = self.root / name
        self.bring([path])
        return path

    def share(self, path: Path) -> str:
        """Let all machines see a file that was written into the store; returns its name."""
        return str(path.relative_to(self.root))

    def bring(self, paths: Sequence[Path], *, newer: bool = False) -> None:
        """Have files here that other machines shared; those that nobody did stay missing.

        ``newer``: also in place of those that are here, as they may have changed.
        """

    def check(self) -> None:
        """Ask whether files can be had at all; StoreAway if not."""
        if not self.root.is_dir():
            raise StoreAway(errno.ENOENT, "its folder is not there")

    def release(self, path: Path) -> None:
        """Say that this machine does not need a file any more that it shared."""

    def remove(self, path: Path) -> None:
        """Remove a file for all machines."""
        path.unlink(missing_ok=True)

    # --- what comes in ----------------------------------------------------------------------

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
        place = self.root / folder / incoming.sha256[:2] / f"{incoming.sha256}.{extension}"
        place.parent.mkdir(exist_ok=True)
        replace_safely(incoming.path, place)
        return self.share(place)

    def keep_type(self, incoming: Incoming, extension: str) -> str:
        """Give a font its place; returns its name below the root."""
        place = self.root / "type" / f"{incoming.sha256}.{extension}"
        replace_safely(incoming.path, place)
        return self.share(place)

    def bring_type(self, names: Sequence[str]) -> None:
        """Have fonts here, by the hashes they are named by; those that nobody kept stay missing."""

    # --- what can be computed again ---------------------------------------------------------

    def derived(self, kind: str, name: str) -> Path:
        """Return where something that can be computed again lies, or would lie, here."""
        folder = self.root / "derived" / kind
        folder.mkdir(parents=True, exist_ok=True)
        return folder / name

    def find(self, kind: str, name: str) -> Path | None:
        """Return a derived file that some machine shared, by its name or a pattern of it."""
        return next(self.derived(kind, "x").parent.glob(name), None)

    def shelf(self, kind: str) -> Shelf:
        """Return the shelf of a kind of things that can be computed again."""
        return Shelf(self, kind)

    def prune(self, kind: str, keep: int) -> None:
        """Remove the derived files that were not used for longest, all but ``keep``."""
        found = sorted((self.root / "derived" / kind).glob("*.*"), key=_last_use, reverse=True)
        for path in found[keep:]:
            path.unlink(missing_ok=True)

    @contextmanager
    def alone(self, kind: str, name: str) -> Iterator[None]:
        """Wait until nobody else, in any process here, computes this; then let others wait."""
        with self.derived("locks", f"{kind}-{name}").open("w") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            yield

    # --- renders ----------------------------------------------------------------------------

    def render_folder(self, job_id: int) -> Path:
        """Return the folder of a render's pieces and result."""
        folder = self.root / "renders" / str(job_id)
        folder.mkdir(exist_ok=True)
        return folder

    def discard_render(self, job_id: int) -> None:
        """Remove a render's files."""
        shutil.rmtree(self.root / "renders" / str(job_id), ignore_errors=True)


@dataclass(frozen=True)
class Shelf:
    """Things of one kind that can be computed again, kept by name for all machines."""

    files: FileStore
    kind: str

    def find(self, name: str) -> Path | None:
        """Return the file that is kept by a name; None if there is none."""
        return self.files.find(self.kind, name)

    def keep(self, name: str, data: bytes) -> None:
        """Keep something by its name."""
        path = self.files.derived(self.kind, name)
        write_atomically(path, data)
        self.files.share(path)


def _last_use(path: Path) -> float:
    try:
        return path.stat().st_mtime
    except FileNotFoundError:
        return 0.0
