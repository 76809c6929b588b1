"""A bucket of an S3-compatible service as the file store; a folder of this machine is its cache.

What pictures, documents and type came as, what renders' ranges became, and what is computed once
for everybody lie in the bucket by the same names as in the folder. What each machine makes for
itself out of these, such as pyramids, previews and masks, lies in its own folder only.
"""

from __future__ import annotations

import errno
import logging
import os
import tempfile
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path, PurePosixPath
from stat import S_ISREG
from typing import Any, TypeVar

from botocore.exceptions import BotoCoreError
from s3fs import S3FileSystem

from vistaline.store.files import FileStore, StoreAway
from vistaline.store.settings import Settings

__all__ = ["BucketStore", "store_of"]

_EVICTED = ("pictures", "documents", "pyramids", "previews", "derived", "renders")
_IN_USE = 3600.0
"""Seconds since its last use in which a file is never put out of the cache."""
_UNDER_WAY = 7 * 86400.0
"""The same for files of renders: those of a range under way are nowhere else."""
_ASKED = {"connect_timeout": 5, "read_timeout": 30, "retries": {"max_attempts": 1}}
"""Seconds, and how often, a request is tried."""
_AT_A_TIME = 16
"""Files that are asked for side by side."""
_LOOKED = 60.0
"""Seconds between two looks at how large the cache is."""
_log = logging.getLogger(__name__)

Result = TypeVar("Result")


def store_of(settings: Settings, *, patience: float = 5.0) -> FileStore:
    """Return the file store that the settings name: a folder, or a bucket with a folder as cache.

    ``patience``: seconds that a bucket is waited for.
    """
    if not settings.bucket:
        return FileStore(settings.data)
    return BucketStore(
        settings.data, settings.bucket, limit=settings.cache_limit, patience=patience
    )


class BucketStore(FileStore):
    """A file store whose files lie in a bucket, and, as long as they are used, in a folder here.

    ``bucket`` is its address, such as ``s3://name/folder``; who may use it, and where the service
    is, is read from the environment as botocore does for every program. ``limit`` is how many
    bytes the folder may take; what was not used for longest goes first.

    Raises
    ------
    ValueError
        It is not such an address.
    """

    def __init__(
        self, root: Path, bucket: str, *, limit: float = 100e9, patience: float = 5.0
    ) -> None:
        if not bucket.startswith("s3://") or not bucket.removeprefix("s3://").strip("/"):
            raise ValueError(
                f"{bucket} is no bucket's address. Write VISTALINE_BUCKET as s3://name/folder."
            )
        super().__init__(root)
        self._base = bucket.removeprefix("s3://").strip("/")
        self._limit, self._patience = limit, patience
        self._opened: tuple[int, S3FileSystem] | None = None
        self._lock = threading.Lock()
        self._shared: set[str] = set()
        """Kinds of derived files that this process put into the bucket."""
        self._looked = 0.0

    def path(self, name: str) -> Path:
        path = super().path(name)
        with suppress(FileNotFoundError):
            os.utime(path)  # used just now: it goes last
        return path

    def share(self, path: Path) -> str:
        name = super().share(path)
        self._insist(lambda system: system.put_file(str(path), self._far(name)))
        if name.startswith("derived/"):
            self._shared.add(path.parent.name)
        return name

    def bring(self, paths: Sequence[Path], *, newer: bool = False) -> None:
        wanted = [path for path in paths if newer or not path.exists()]
        if len(wanted) == 1:
            self._bring(wanted[0])
        elif wanted:
            # Each is a request; a service answers many at a time.
            with ThreadPoolExecutor(_AT_A_TIME) as pool:
                list(pool.map(self._bring, wanted))
        if wanted:
            self._keep_within_bounds()

    def _bring(self, path: Path) -> None:
        handle, arriving = tempfile.mkstemp(dir=self.root / "incoming")
        os.close(handle)
        far = self._far(str(path.relative_to(self.root)))
        try:
            self._insist(lambda system: system.get_file(far, arriving))
            path.parent.mkdir(parents=True, exist_ok=True)
            os.replace(arriving, path)
        except FileNotFoundError:
            pass  # nobody shared it
        finally:
            Path(arriving).unlink(missing_ok=True)

    def check(self) -> None:
        super().check()
        self._insist(lambda system: system.ls(self._base.partition("/")[0]))

    def release(self, path: Path) -> None:
        path.unlink(missing_ok=True)

    def remove(self, path: Path) -> None:
        super().remove(path)
        self._remove([str(path.relative_to(self.root))])

    def bring_type(self, names: Sequence[str]) -> None:
        folder = self.root / "type"
        for name in names:
            if not any(folder.glob(f"{name}.*")):
                self.bring([folder / each for each in self._names("type", f"{name}.*")])

    def find(self, kind: str, name: str) -> Path | None:
        found = super().find(kind, name)
        if found is None:
            there = self._names(f"derived/{kind}", name)
            self.bring([self.derived(kind, each) for each in there[:1]])
            found = super().find(kind, name)
        return found

    def prune(self, kind: str, keep: int) -> None:
        super().prune(kind, keep)
        if kind in self._shared:
            folder = f"derived/{kind}"
            self._remove([f"{folder}/{each}" for each in self._names(folder, "*")[keep:]])

    def discard_render(self, job_id: int) -> None:
        super().discard_render(job_id)
        folder = f"renders/{job_id}"
        self._remove([f"{folder}/{each}" for each in self._names(folder, "*")])

    # --- the bucket -------------------------------------------------------------------------

    def _far(self, name: str) -> str:
        return f"{self._base}/{name}"

    def _names(self, folder: str, pattern: str) -> list[str]:
        """Return the names of a folder's files that a pattern fits, the newest first."""

        def listed(system: S3FileSystem) -> list[Any]:
            return list(system.glob(self._far(f"{folder}/{pattern}"), detail=True).values())

        found = sorted(self._insist(listed), key=lambda each: str(each["LastModified"]))
        return [PurePosixPath(each["name"]).name for each in reversed(found)]

    def _remove(self, names: Sequence[str]) -> None:
        if names:
            with suppress(FileNotFoundError):
                self._insist(lambda system: system.rm([self._far(each) for each in names]))

    def _insist(self, do: Callable[[S3FileSystem], Result]) -> Result:
        """Return what is done with the bucket; while it is away, it is tried again.

        Raises
        ------
        FileNotFoundError
            It answers that there is no such file.
        StoreAway
            It did not answer for as long as this store is patient, or lets nobody in.
        """
        deadline, pause = time.monotonic() + self._patience, 0.2
        while True:
            try:
                return do(self._system())
            except FileNotFoundError:
                raise
            except PermissionError as error:
                raise StoreAway(errno.EACCES, "the bucket does not let us in") from error
            except (OSError, BotoCoreError) as error:
                _log.warning("the bucket is waited for: %s", error)
                if time.monotonic() + pause > deadline:
                    raise StoreAway(errno.EIO, "the bucket does not answer") from error
            time.sleep(pause)
            pause = min(2 * pause, 5.0)

    def _system(self) -> S3FileSystem:
        """Return what speaks to the service."""
        with self._lock:
            # A process that was forked off has to speak for itself.
            if self._opened is None or self._opened[0] != os.getpid():
                system = S3FileSystem(
                    skip_instance_cache=True, use_listings_cache=False, config_kwargs=_ASKED
                )
                # How long it is tried again is said once, by ``patience``.
                system.retries = 1
                self._opened = os.getpid(), system
            return self._opened[1]

    # --- the cache --------------------------------------------------------------------------

    def _keep_within_bounds(self) -> None:
        """Put out what was not used for longest, if the cache has grown too large."""
        if time.monotonic() - self._looked < _LOOKED:
            return
        self._looked = time.monotonic()
        found, total, old = [], 0, time.time()
        for folder in _EVICTED:
            in_use = _UNDER_WAY if folder == "renders" else _IN_USE
            for path in (self.root / folder).rglob("*"):
                with suppress(FileNotFoundError):  # another process is at the same
                    told = path.stat()
                    if S_ISREG(told.st_mode):
                        total += told.st_size
                        found.append((told.st_mtime, told.st_mtime + in_use < old, told, path))
        for _, idle, told, path in sorted(found, key=lambda each: each[0]):
            if total <= self._limit:
                return
            if idle:
                path.unlink(missing_ok=True)
                total -= told.st_size
