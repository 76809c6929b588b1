"""What somebody brings in can end a child process, and nothing else."""

from __future__ import annotations

import ctypes
import io
import os
import resource
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tests.core import strangers
from vistaline.core.confined import Bounds, _Nursery, confined
from vistaline.core.errors import EditError, PictureError, ShotError
from vistaline.core.formats import incoming
from vistaline.core.formats.incoming import (
    header_of,
    inspect_upload,
    keep_pyramid,
    part_as_picture,
    small_part,
)
from vistaline.core.looks.lettering import Title, draw_title
from vistaline.core.looks.typefaces import open_type
from vistaline.core.picture.decode import decode_picture
from vistaline.core.picture.pyramid import PyramidStore


def _crash() -> None:
    ctypes.string_at(0)


def _spin() -> None:
    while True:
        pass


def _hoard() -> int:
    return len(bytearray(2_000_000_000))


def _leave() -> None:
    os._exit(3)


def _refuse() -> None:
    raise EditError("Not like this.")


def _stumble() -> None:
    raise ZeroDivisionError


def _full() -> None:
    raise OSError(28, "No space left on device")


class _Weapon:
    """What a child could send that a file has taken over."""

    def __reduce__(self) -> tuple[object, ...]:
        return os.mkdir, ("/tmp/vistaline-was-taken-over",)


def _taken_over() -> object:
    return _Weapon()


def _large(side: int) -> np.ndarray:
    return np.full((side, side), 7, np.uint16)


@pytest.mark.parametrize(
    ("work", "error", "words"),
    [
        (_crash, PictureError, r"bay\.jpg: reading it ended the program that reads files"),
        (_leave, PictureError, "reading it ended"),
        (_spin, PictureError, "takes too long"),
        (_hoard, PictureError, "more memory to read than is allowed"),
        (_stumble, PictureError, "damaged in a way"),
        (_refuse, EditError, r"^Not like this\.$"),
        (_full, OSError, "No space left"),
        (_taken_over, PictureError, "reading it ended"),
    ],
)
def test_whatever_becomes_of_a_child_is_told(
    work: object, error: type[Exception], words: str
) -> None:
    with pytest.raises(error, match=words):
        confined(work, name="bay.jpg", bounds=Bounds(seconds=1))  # type: ignore[arg-type]


def test_a_large_array_comes_back_and_can_be_changed() -> None:
    found = confined(_large, 2000, name="bay.jpg")
    found[0, 0] += 1
    assert (found[0, 0], found[1, 1], found.dtype) == (8, 7, np.uint16)


def test_a_child_can_make_nothing_of_its_answer_but_data() -> None:
    with pytest.raises(PictureError):
        confined(_taken_over, name="bay.jpg")
    assert not Path("/tmp/vistaline-was-taken-over").exists()


def test_a_nursery_that_is_killed_is_begun_again() -> None:
    assert confined(len, "four", name="a") == 4
    _Nursery._current.process.kill()  # type: ignore[union-attr]
    _Nursery._current.process.wait()  # type: ignore[union-attr]
    assert confined(len, "four", name="a") == 4


def written(folder: Path, name: str, data: bytes) -> Path:
    (folder / name).write_bytes(data)
    return folder / name


def test_a_drawing_of_nested_groups_is_refused(tmp_path: Path) -> None:
    path = written(tmp_path, "deep.svg", strangers.nested_svg(300))
    with pytest.raises(PictureError, match="more than 200 deep"):
        inspect_upload(path, "deep.svg")
    # What is allowed is drawn, or its child dies; this process lives either way.
    path = written(tmp_path, "less.svg", strangers.nested_svg(190))
    assert part_as_picture(path, "less.svg", 0, height=32)[1] == "png"


def test_a_layer_named_500_times_is_unpacked_once(tmp_path: Path) -> None:
    path = written(tmp_path, "many.ora", strangers.openraster_naming(500, side=1000))
    parts = inspect_upload(path, "many.ora").parts  # type: ignore[union-attr]
    assert len(parts) == 500
    # 500 layers of 16 megapixels are more than anybody means.
    path = written(tmp_path, "more.ora", strangers.openraster_naming(500, side=4000))
    with pytest.raises(PictureError, match="more than 2,000 megapixels together"):
        inspect_upload(path, "more.ora")


def test_a_page_of_nested_forms_is_given_up(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = written(tmp_path, "laughs.pdf", strangers.nested_pdf(9, 9))
    assert path.stat().st_size < 3000
    monkeypatch.setattr(incoming, "_SMALL", Bounds(memory=600_000_000, seconds=2))
    began = time.monotonic()
    # Whichever bound it comes to first: time, or memory, where the library aborts.
    with pytest.raises(PictureError, match=r"laughs\.pdf: it takes (too long|more memory)"):
        small_part(path, "laughs.pdf", 0, 200)
    assert time.monotonic() - began < 60


def test_a_title_of_33_outlined_lines_keeps_within_its_bounds() -> None:
    title = Title(text="\n".join(["Long lines of a keeper's log"] * 33), outline="#000000")
    drawn = draw_title(title, em=4096)
    assert drawn.shape[0] * drawn.shape[1] <= 33_000_000
    assert drawn[..., 3].max() == 65535


def test_a_large_picture_is_decoded_in_little_more_than_its_own_size(tmp_path: Path) -> None:
    """40 megapixels, within 5.3 bytes a pixel: 120 then take 640 MB (they took 3.2 GB)."""
    image = Image.linear_gradient("L").resize((8000, 5000)).convert("RGB")
    image.save(tmp_path / "large.png", compress_level=1)
    child, peak = os.pipe()
    process = os.fork()
    if process == 0:
        incoming._keep_pyramid(tmp_path / "large.png", "large.png", tmp_path / "p")
        os.write(peak, str(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss).encode())
        os._exit(0)
    os.waitpid(process, 0)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    taken = int(os.read(child, 40))
    assert (taken - before) * 1024 < 5.3 * 40e6 + 60e6


@pytest.mark.parametrize("orientation", range(1, 9))
def test_bands_turn_as_whole_pictures_do(
    orientation: int, tmp_path: Path, rng: np.random.Generator
) -> None:
    """Against Pillow's own exif_transpose, with a picture of more than one band."""
    from PIL import ImageOps

    codes = rng.integers(0, 256, (600, 300, 3), dtype=np.uint8)
    exif = Image.Exif()
    exif[0x0112] = orientation
    Image.fromarray(codes).save(tmp_path / "a.png", exif=exif)
    with Image.open(tmp_path / "a.png") as image:
        upright = np.asarray(ImageOps.exif_transpose(image))
    store = PyramidStore(tmp_path / "pyramids")
    built = store.get_written("a", lambda path: keep_pyramid(tmp_path / "a.png", "a.png", path))
    np.testing.assert_array_equal(built.picture, decode_picture(tmp_path / "a.png", "a.png"))
    assert built.picture.shape[:2] == upright.shape[:2]
    dark = upright.astype(int).sum(axis=2) == 0
    assert (built.picture[dark][:, :3] == 0).all()


def test_mutated_files_are_read_or_refused() -> None:
    """Twenty-five a kind, and the sound file itself; ``make fuzz`` goes on from there."""
    command = [sys.executable, "-m", "tests.core.strangers", "--count", "25", "--seed", "20261127"]
    ended = subprocess.run(command, capture_output=True, text=True, timeout=280)
    assert ended.returncode == 0, ended.stdout + ended.stderr
    assert ended.stdout.count("read") == len(strangers.SEEDS)


def test_a_font_with_broken_outlines_is_refused_when_it_comes(tmp_path: Path) -> None:
    path = written(tmp_path, "torn.ttf", strangers.SEEDS["font"]()[:1500])
    with pytest.raises(ShotError, match=r"torn\.ttf is not a font"):
        open_type(path, "torn.ttf")


def test_an_archive_that_is_no_archive_inside(tmp_path: Path) -> None:
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr("stack.xml", "<image w='9' h='9'>" + " " * 400 + "<stack/></image>")
    torn = bytearray(data.getvalue())
    torn[torn.rindex(b"stack.xml", 0, torn.rindex(b"PK\1\2")) + 12] ^= 0xFF
    with pytest.raises(PictureError, match="damaged"):
        inspect_upload(written(tmp_path, "torn.ora", bytes(torn)), "torn.ora")


def test_only_known_kinds_are_tried(tmp_path: Path) -> None:
    """Pillow reads some forty kinds; the readers of those nobody needs are never reached."""
    image = Image.new("RGB", (8, 8))
    for kind in ("PPM", "TGA", "SGI", "ICNS", "DDS"):
        data = io.BytesIO()
        image.save(data, kind)
        with pytest.raises(PictureError, match="not a picture that can be read"):
            header_of(written(tmp_path, "a.png", data.getvalue()), "a.png")
