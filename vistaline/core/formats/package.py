"""A shot with all that it is made of in one file: a ZIP that is checked by hash when it is opened.

``manifest.json`` names every other entry with its SHA-256 and size; ``shot.json`` is a shot file,
those of shots that it shows lie beside it, pictures below ``pictures/``, type below ``type/``.
"""

from __future__ import annotations

import hashlib
import json
import re
import shutil
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

from vistaline.core.errors import ShotError
from vistaline.core.files import replace_safely, sync
from vistaline.core.looks.typefaces import shelved
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot

__all__ = ["pack_shot", "unpack_shot"]

_VERSION = 1
_MANIFEST, _SHOT = "manifest.json", "shot.json"
_NAME = re.compile(r"(pictures|type)/[a-z0-9][a-z0-9._-]{0,120}|[a-z0-9][a-z0-9-]{0,80}\.json")
"""What entries are called: no other folder, nothing above, nothing hidden."""
_MOST_FILES, _MOST_BYTES, _MOST_TOLD = 5_000, 50_000_000_000, 50_000_000
"""Entries of a package, bytes of them all, and of its JSON."""
_PIECE = 1 << 20
Progress = Callable[[float], None]


def pack_shot(
    shot: Shot,
    path: Path,
    *,
    progress: Progress = lambda share: None,
) -> int:
    """Write a package of a shot whose pictures are named by their whole paths; returns its size.

    ``progress`` may raise to stop; then, and on any error, nothing is there.

    Raises
    ------
    ShotError
        A picture is not there any more.
    """
    packing = _Packing()
    documents = {_SHOT: packing.document(shot)}
    documents |= packing.others
    total = sum(file.stat().st_size for file in packing.files.values()) or 1
    unfinished = path.with_name(f".{path.name}.part")
    try:
        told: dict[str, Any] = {}
        done = 0
        # Pictures are compressed already.
        with zipfile.ZipFile(unfinished, "w", zipfile.ZIP_STORED) as archive:
            for name, file in packing.files.items():
                with (
                    file.open("rb") as source,
                    archive.open(_entry(name), "w", force_zip64=True) as target,
                ):
                    digest, size = hashlib.sha256(), 0
                    while piece := source.read(_PIECE):
                        target.write(piece)
                        digest.update(piece)
                        size += len(piece)
                        progress((done + size) / total)
                done += size
                told[name] = {"sha256": digest.hexdigest(), "bytes": size}
            for name, document in documents.items():
                data = (json.dumps(document, indent=1) + "\n").encode()
                archive.writestr(_entry(name), data, zipfile.ZIP_DEFLATED)
                told[name] = {"sha256": hashlib.sha256(data).hexdigest(), "bytes": len(data)}
            manifest = {"vistaline_package": _VERSION, "name": shot.name, "files": told}
            archive.writestr(
                _entry(_MANIFEST), json.dumps(manifest, indent=1), zipfile.ZIP_DEFLATED
            )
        replace_safely(unfinished, path)
    finally:
        unfinished.unlink(missing_ok=True)
    return path.stat().st_size


def _entry(name: str) -> zipfile.ZipInfo:
    """Return an entry whose time says nothing: the same shot makes the same package."""
    return zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))


class _Packing:
    """Gives each file and each shot a name in the package, once."""

    def __init__(self) -> None:
        self.files: dict[str, Path] = {}
        self.others: dict[str, Any] = {}
        """Documents of the shots that are shown, by their names."""
        self._known: dict[str, str] = {}

    def document(self, shot: Shot) -> Any:
        """Return a shot's document with the package's own names in it."""
        pictures = {
            key: ref.evolve(file=self._picture(ref.file)) for key, ref in shot.pictures.items()
        }
        for layer in shot.layers:
            font = shelved(layer.title.face) if layer.title else None
            if font:
                self.files[f"type/{font.name.lower()}"] = font
        shots = {}
        for key, ref in shot.shots.items():
            assert ref.document is not None, "read shots carry those that they show"
            inner = json.dumps(self.document(parse_shot(ref.document)), sort_keys=True)
            name = f"shot-{hashlib.sha256(inner.encode()).hexdigest()[:16]}.json"
            self.others[name] = json.loads(inner)
            shots[key] = ref.evolve(file=name, document=None)
        return dump_shot(shot.evolve(pictures=pictures, shots=shots))

    def _picture(self, file: str) -> str:
        if file not in self._known:
            path = Path(file)
            if not path.is_file():
                raise ShotError(f"{path.name} is not there any more. Bring it in again.")
            with path.open("rb") as stream:
                digest = hashlib.file_digest(stream, "sha256").hexdigest()
            name = f"pictures/{digest[:32]}{path.suffix.lower()}"
            self.files[name], self._known[file] = path, name
        return self._known[file]


def unpack_shot(
    path: Path,
    folder: Path,
    *,
    named: str = "",
    progress: Progress = lambda share: None,
) -> Path:
    """Open a package into a new folder; returns the shot file in it.

    Nothing is there before all of it is, whole and as its hashes say. Errors call the package
    ``named``, if its file has another name than the person gave it.

    Raises
    ------
    ShotError
        The file is no package, is damaged, was altered, or holds what no package does.
    """
    if folder.exists() and any(folder.iterdir()):
        raise ShotError(f"{folder.name} is not empty. Name a new folder.")
    named = named or path.name
    folder.parent.mkdir(parents=True, exist_ok=True)
    unfinished = Path(tempfile.mkdtemp(prefix=f".{folder.name}.", dir=folder.parent))
    try:
        with zipfile.ZipFile(path) as archive:
            _unpack(archive, named, unfinished, progress)
        if folder.exists():
            folder.rmdir()
        unfinished.rename(folder)
        sync(folder.parent)
    except (zipfile.BadZipFile, zipfile.LargeZipFile, EOFError, NotImplementedError) as error:
        raise ShotError(f"{named} is no package, or is damaged: {error}.") from error
    finally:
        shutil.rmtree(unfinished, ignore_errors=True)
    return folder / _SHOT


def _unpack(archive: zipfile.ZipFile, named: str, folder: Path, progress: Progress) -> None:
    told = _manifest(archive, named)
    entries = {each.filename: each for each in archive.infolist()}
    if len(entries) != len(archive.infolist()) or {*entries} != {*told, _MANIFEST}:
        raise ShotError(f"{named} holds other files than its manifest names. It was altered.")
    if _SHOT not in told:
        raise ShotError(f"{named} holds no shot.")
    total = sum(each["bytes"] for each in told.values())
    if total > _MOST_BYTES:
        raise ShotError(f"{named} would take {total / 1e9:.0f} GB. That is more than any shot.")
    done = 0
    for name, facts in told.items():
        target = folder / name
        target.parent.mkdir(exist_ok=True)
        with archive.open(entries[name]) as source, target.open("wb") as out:
            digest, size = _copied(source, out, facts["bytes"])
        done += size
        if size != facts["bytes"] or digest != facts["sha256"]:
            raise ShotError(f"{name} in {named} is not what it was when it was packed.")
        progress(done / max(total, 1))


def _copied(source: Any, out: BinaryIO, most: int) -> tuple[str, int]:
    """Copy at most a byte more than there should be; returns hash and size."""
    digest, size = hashlib.sha256(), 0
    while size <= most and (piece := source.read(min(_PIECE, most + 1 - size))):
        out.write(piece)
        digest.update(piece)
        size += len(piece)
    return digest.hexdigest(), size


def _manifest(archive: zipfile.ZipFile, named: str) -> dict[str, dict[str, Any]]:
    """Return what a package says it holds; ShotError if that makes no sense."""
    try:
        info = archive.getinfo(_MANIFEST)
        large = info.file_size > _MOST_TOLD or len(archive.infolist()) > _MOST_FILES
        with archive.open(info) as stream:
            manifest = json.loads(stream.read(_MOST_TOLD))
        newer = manifest["vistaline_package"] > _VERSION
        files = manifest["files"]
        sound = all(
            _NAME.fullmatch(name)
            and name != _MANIFEST
            and isinstance(facts["bytes"], int)
            and 0 <= facts["bytes"] <= (_MOST_TOLD if name.endswith(".json") else _MOST_BYTES)
            and isinstance(facts["sha256"], str)
            for name, facts in files.items()
        )
    except (KeyError, TypeError, ValueError, AttributeError, RecursionError) as error:
        raise ShotError(f"{named} is no package of a shot.") from error
    if newer:
        raise ShotError(f"{named} comes from a newer version. Bring this one up to date.")
    if large:
        raise ShotError(f"{named} holds more than any shot.")
    if not sound:
        raise ShotError(f"{named} names files that no package holds. It was altered.")
    return dict(files)
