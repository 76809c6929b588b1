"""Packages of shots: the same everywhere, whole or not at all, and nothing but what they say."""

from __future__ import annotations

import hashlib
import json
import subprocess
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.core.test_formats import run
from vistaline.core.edits import apply
from vistaline.core.errors import ShotError
from vistaline.core.formats.filmfile import read_reel_file
from vistaline.core.formats.package import pack_shot, unpack_shot
from vistaline.core.looks import typefaces
from vistaline.core.render.reel import frames_of
from vistaline.core.shot.document import dump_shot, parse_shot
from vistaline.core.shot.shot import Shot


@pytest.fixture
def shot(shot_file: Path) -> Shot:
    found = read_reel_file(shot_file)
    assert isinstance(found, Shot)
    return found


def holding(shot: Shot) -> Shot:
    """A shot that shows another, twice: once as it is, once another of the same pictures."""
    document = dump_shot(shot)
    document["shots"] = {
        "one": {"file": "1", "document": dump_shot(shot)},
        "two": {"file": "2", "document": dump_shot(shot.evolve(name="Another"))},
    }
    for key in ("one", "two"):
        layer = {"id": key, "name": key, "shows": {"kind": "shot", "shot": key}}
        document["layers"].append(layer | {"stands": {"kind": "card", "width": 1.0}})
    return parse_shot(document)


def test_a_package_opened_elsewhere_is_the_same_shot(shot: Shot, tmp_path: Path) -> None:
    """Also what it shows; frames to the code. By Debian's unzip every entry is sound."""
    path = tmp_path / "bay.zip"
    whole = holding(shot)
    pack_shot(whole, path)
    done = subprocess.run(["unzip", "-tq", str(path)], capture_output=True, check=False, text=True)
    assert done.returncode == 0, done.stdout
    with zipfile.ZipFile(path) as archive:
        names = archive.namelist()
        manifest = json.loads(archive.read("manifest.json"))
        for name, facts in manifest["files"].items():
            assert hashlib.sha256(archive.read(name)).hexdigest() == facts["sha256"]
    assert sum(name.startswith("pictures/") for name in names) == len(shot.pictures)
    assert sum(name.startswith("shot-") for name in names) == 2
    opened = read_reel_file(unpack_shot(path, tmp_path / "elsewhere"))
    assert isinstance(opened, Shot)

    def unnamed(each: Shot) -> Any:
        document = dump_shot(each)
        for ref in document["pictures"].values():
            del ref["file"]
        return document["layers"], document["pictures"], document["cameras"]

    assert unnamed(opened) == unnamed(whole)
    # The same shot makes the same bytes, wherever it lies.
    again, third = tmp_path / "again.zip", tmp_path / "third.zip"
    pack_shot(opened, again)
    pack_shot(read_reel_file(unpack_shot(again, tmp_path / "third")), third)  # type: ignore[arg-type]
    assert again.read_bytes() == third.read_bytes()


def test_frames_of_an_opened_package_are_those_of_the_shot(shot: Shot, tmp_path: Path) -> None:
    from vistaline.cli.looks import open_looks

    pack_shot(shot, tmp_path / "a.zip")
    opened = read_reel_file(unpack_shot(tmp_path / "a.zip", tmp_path / "b"))
    one, other = (frames_of(each, open_looks).rgb(3) for each in (shot, opened))
    assert (np.asarray(one) == other).all()


def altered(path: Path, change: Callable[[dict[str, bytes]], None]) -> Path:
    """The package with other entries, its manifest as ``change`` leaves it."""
    with zipfile.ZipFile(path) as archive:
        entries = {name: archive.read(name) for name in archive.namelist()}
    change(entries)
    found = path.with_name("altered.zip")
    with zipfile.ZipFile(found, "w") as archive:
        for name, data in entries.items():
            archive.writestr(name, data)
    return found


def _told(entries: dict[str, bytes], name: str, data: bytes) -> None:
    """Add an entry, manifest and all."""
    manifest = json.loads(entries["manifest.json"])
    manifest["files"][name] = {"sha256": hashlib.sha256(data).hexdigest(), "bytes": len(data)}
    entries[name] = data
    entries["manifest.json"] = json.dumps(manifest).encode()


def _flip(entries: dict[str, bytes]) -> None:
    name = next(each for each in entries if each.startswith("pictures/"))
    data = bytearray(entries[name])
    data[len(data) // 2] ^= 1
    entries[name] = bytes(data)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (_flip, "is not what it was"),
        (lambda each: each.update({"more.txt": b"x"}), "other files than its manifest"),
        (lambda each: each.pop("shot.json"), "other files than its manifest"),
        (lambda each: _told(each, "../out.json", b"x"), "no package holds"),
        (lambda each: _told(each, "/etc/out.json", b"x"), "no package holds"),
        (lambda each: _told(each, "pictures/../../out.png", b"x"), "no package holds"),
        (lambda each: _told(each, "pictures/.hidden", b"x"), "no package holds"),
        (lambda each: each.update({"manifest.json": b"[]"}), "no package of a shot"),
        (lambda each: each.update({"manifest.json": b"[" * 100_000}), "no package of a shot"),
        (lambda each: each.update({"manifest.json": b'{"vistaline_package": 9, "files": {}}'}),
         "newer version"),
    ],
)  # fmt: skip
def test_what_was_altered_is_refused_and_leaves_nothing(
    shot: Shot, tmp_path: Path, change: Any, words: str
) -> None:
    pack_shot(shot, tmp_path / "bay.zip")
    with pytest.raises(ShotError, match=words):
        unpack_shot(altered(tmp_path / "bay.zip", change), tmp_path / "new")
    found = {each.name for each in tmp_path.iterdir() if {"zip", "new"} & {*each.name.split(".")}}
    assert found == {"bay.zip", "altered.zip"}
    assert not (tmp_path.parent / "out.json").exists()


def test_an_archive_bomb_is_not_blown_up(shot: Shot, tmp_path: Path) -> None:
    """An entry that says it is small and is not: no more than a byte too many is written."""

    def bomb(entries: dict[str, bytes]) -> None:
        _told(entries, "pictures/bomb.png", b"small")
        entries["pictures/bomb.png"] = b"\0" * 50_000_000

    pack_shot(shot, tmp_path / "bay.zip")
    with pytest.raises(ShotError, match=r"bomb.png .* is not what it was"):
        unpack_shot(altered(tmp_path / "bay.zip", bomb), tmp_path / "new")


def test_a_missing_picture_and_a_stop_leave_nothing(shot: Shot, tmp_path: Path) -> None:
    key = next(iter(shot.pictures))
    gone = shot.pictures[key].evolve(file=str(tmp_path / "gone.png"))
    lost = shot.evolve(pictures=shot.pictures | {key: gone})
    with pytest.raises(ShotError, match=r"gone.png is not there any more"):
        pack_shot(lost, tmp_path / "bay.zip")

    def stop(share: float) -> None:
        raise InterruptedError

    with pytest.raises(InterruptedError):
        pack_shot(shot, tmp_path / "bay.zip", progress=stop)
    assert not [each for each in tmp_path.iterdir() if "bay.zip" in each.name]
    pack_shot(shot, tmp_path / "bay.zip")
    with pytest.raises(InterruptedError):
        unpack_shot(tmp_path / "bay.zip", tmp_path / "new", progress=stop)
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "file").touch()
    with pytest.raises(ShotError, match="not empty"):
        unpack_shot(tmp_path / "bay.zip", tmp_path / "full")
    broken = tmp_path / "broken.zip"
    broken.write_bytes((tmp_path / "bay.zip").read_bytes()[:-3000])
    with pytest.raises(ShotError, match="is damaged"):
        unpack_shot(broken, tmp_path / "new")
    assert not (tmp_path / "new").exists() and not list(tmp_path.glob(".new*"))


def test_a_title_takes_its_type_along(
    shot: Shot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    files = typefaces.PACKAGES / "@fontsource" / "bebas-neue" / "files"
    data = (files / "bebas-neue-latin-400-normal.woff2").read_bytes()
    font = tmp_path / "type" / f"{'ab' * 32}.woff2"
    font.parent.mkdir()
    font.write_bytes(data)
    monkeypatch.setattr(typefaces, "_SHELVES", [font.parent])
    shot = apply(shot, "add_title", {"text": "Hello"})
    title = shot.layers[-1]
    assert title.title
    named = title.with_shows(title=title.title.evolve(face=f"own-{font.stem}"))
    whole = shot.evolve(layers=(*shot.layers[:-1], named))
    pack_shot(whole, tmp_path / "bay.zip")
    with zipfile.ZipFile(tmp_path / "bay.zip") as archive:
        assert archive.read(f"type/{font.name}") == data


def test_the_command_line_packs_and_unpacks(shot_file: Path) -> None:
    folder = shot_file.parent
    run("pack", shot_file, "-o", "bay.zip", folder=folder)
    done = run("unpack", "bay.zip", "-o", "there", folder=folder)
    assert done.stdout.strip() == "there/shot.json"
    run("check", "there/shot.json", folder=folder)
