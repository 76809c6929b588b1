"""Files made to find faults, and mutants of sound ones. ``python -m tests.core.strangers`` fuzzes.

``make fuzz`` runs it over every kind: ``make fuzz KIND=pdf COUNT=5000 SEED=7``.
"""

from __future__ import annotations

import argparse
import io
import json
import logging
import sys
import tempfile
import zipfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image

from vistaline.core.confined import Bounds, confined, preload
from vistaline.core.errors import CoreError, PictureError
from vistaline.core.formats import documents
from vistaline.core.looks.typefaces import PACKAGES, _words_of
from vistaline.core.picture import clips, decode
from vistaline.core.picture.still_rows import pack_row
from vistaline.core.picture.transfer import linear_from_clip
from vistaline.core.separate.cutset import parse_cutset
from vistaline.core.sheet.sheet import parse_sheet
from vistaline.core.shot.document import parse_shot

__all__ = ["SEEDS", "mutated", "nested_pdf", "nested_svg", "openraster_naming", "outcome"]

preload("tests.core.strangers")


# --- files made to find faults ----------------------------------------------------------------


def nested_svg(depth: int) -> bytes:
    """Groups with opacity in each other: each takes a picture of its own and a frame of stack."""
    inside = '<g opacity=".9">' * depth + '<rect width="9" height="9"/>' + "</g>" * depth
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">{inside}</svg>'.encode()


def openraster_naming(count: int, *, side: int) -> bytes:
    """One file, named by many layers."""
    png = io.BytesIO()
    Image.new("RGB", (side, side)).save(png, "PNG")
    layers = '<layer name="a" src="data/a.png"/>' * count
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr(
            "stack.xml", f'<image w="{side}" h="{side}"><stack>{layers}</stack></image>'
        )
        archive.writestr("data/a.png", png.getvalue())
    return data.getvalue()


def pdf_of(objects: list[bytes]) -> bytes:
    """A PDF of these objects, numbered from 1; the first is its catalogue."""
    data, places = b"%PDF-1.4\n", []
    for n, body in enumerate(objects, 1):
        places.append(len(data))
        data += b"%d 0 obj\n%s\nendobj\n" % (n, body)
    start = len(data)
    data += b"xref\n0 %d\n0000000000 65535 f \n" % (len(objects) + 1)
    data += b"".join(b"%010d 00000 n \n" % place for place in places)
    return data + b"trailer<</Root 1 0 R/Size %d>>\nstartxref\n%d\n%%%%EOF" % (
        len(objects) + 1,
        start,
    )


def nested_pdf(depth: int, wide: int) -> bytes:
    """A page whose form draws a form ``wide`` times, which draws a form ``wide`` times ..."""
    draw = b"/F Do " * wide
    last = b"0 0 9 9 re f"
    objects = [
        b"<</Type/Catalog/Pages 2 0 R>>",
        b"<</Type/Pages/Kids[3 0 R]/Count 1>>",
        b"<</Type/Page/Parent 2 0 R/MediaBox[0 0 99 99]/Contents 4 0 R"
        b"/Resources<</XObject<</F 5 0 R>>>>>>",
        b"<</Length 6>>stream\n/F Do \nendstream",
    ]
    for n in range(depth):
        body = last if n == depth - 1 else draw
        below = b"" if n == depth - 1 else b"/Resources<</XObject<</F %d 0 R>>>>" % (6 + n)
        objects.append(
            b"<</Type/XObject/Subtype/Form/BBox[0 0 99 99]%s/Length %d>>stream\n%s\nendstream"
            % (below, len(body), body)
        )
    return pdf_of(objects)


# --- sound files ------------------------------------------------------------------------------


def _picture(kind: str, **options: object) -> Callable[[], bytes]:
    def make() -> bytes:
        rng = np.random.default_rng(5)
        image = Image.fromarray(rng.integers(0, 256, (24, 32, 3), dtype=np.uint8))
        exif = Image.Exif()
        exif[0x0112] = 6
        data = io.BytesIO()
        image.save(data, kind, **({} if kind == "PPM" else {"exif": exif}), **options)
        return data.getvalue()

    return make


def _deep_png() -> bytes:
    import cv2

    rng = np.random.default_rng(5)
    return cv2.imencode(".png", rng.integers(0, 65536, (16, 24, 4), dtype=np.uint16))[1].tobytes()


def _exr() -> bytes:
    values = np.random.default_rng(5).random((16, 24), np.float32)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "it.exr"
        with av.open(str(path), "w", format="image2") as out:
            stream = out.add_stream("exr", rate=1)
            stream.width, stream.height, stream.pix_fmt = 24, 16, "grayf32le"  # type: ignore[attr-defined]
            frame = av.VideoFrame(24, 16, "grayf32le")
            frame.planes[0].update(values.tobytes())
            out.mux(stream.encode(frame))  # type: ignore[attr-defined]
            out.mux(stream.encode())  # type: ignore[attr-defined]
        return path.read_bytes()


def _pages() -> bytes:
    pages = [Image.new("RGB", (20, 12), colour) for colour in ("red", "blue")]
    data = io.BytesIO()
    pages[0].save(data, "TIFF", save_all=True, append_images=pages[1:], compression="tiff_lzw")
    return data.getvalue()


def _pdf() -> bytes:
    return nested_pdf(2, 2)


def _svg() -> bytes:
    return (
        b'<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 12" '
        b'width="20"><defs><linearGradient id="g"><stop offset="0" stop-color="#f00"/>'
        b'</linearGradient></defs><path d="M1 1 C 5 5 9 1 19 11 Z" fill="url(#g)"/>'
        b'<text x="2" y="9" font-size="4">Lamp</text></svg>'
    )


def _openraster() -> bytes:
    return openraster_naming(3, side=9)


def _font() -> bytes:
    from PIL import ImageFont

    return ImageFont.load_default(32).font_bytes  # the TrueType font that Pillow carries


def _woff2() -> bytes:
    path = PACKAGES / "@fontsource/courier-prime/files/courier-prime-latin-400-normal.woff2"
    return path.read_bytes()


def _shot() -> bytes:
    document = {
        "vistaline": 1,
        "name": "Push in",
        "frame": {"width": 320, "height": 180, "rate": "23.976", "duration": 30},
        "pictures": {"bay": {"file": "bay.jpg", "width": 32, "height": 18}},
        "layers": [
            {"name": "Bay", "picture": "bay", "distance": 6, "box": [0, 0, 32, 18]},
            {
                "name": "T",
                "id": "t",
                "title": {"text": "Lamp", "outline": "#000000"},
                "distance": 2,
            },
        ],
        "route": {
            "framings": [
                {"frame": 0, "lens": 35},
                {"frame": 29, "position": [0, 0, -0.6], "ease": "ease-in-out"},
            ],
            "shake": {"frequency": 2, "seed": 3},
        },
        "rows": [
            {
                "of": "layer:t",
                "value": "opacity",
                "keys": [{"frame": 0, "value": 1, "ease": "hold"}],
            }
        ],
    }
    return json.dumps(document).encode()


def _sheet() -> bytes:
    stroke = {"points": [[1, 1], [9, 5]], "width": 3}
    cutout = {
        "id": "c1",
        "name": "Rock",
        "steps": [{"kind": "paint", "strokes": [stroke], "effect": "add"}],
    }
    document = {
        "size": [32, 18],
        "prepare": [{"kind": "crop", "box": [0.1, 0.1, 0.9, 0.8]}, {"kind": "levels"}],
        "cutset": {"cutouts": [cutout]},
        "plates": [{"behind": "", "file": "a.png"}],
    }
    return json.dumps(document).encode()


def _clip(container: str, codec: str, pixels: str) -> Callable[[], bytes]:
    def make() -> bytes:
        data = io.BytesIO()
        rng = np.random.default_rng(5)
        with av.open(data, "w", format=container) as out:
            stream: Any = out.add_stream(codec, rate=24)
            stream.width, stream.height, stream.pix_fmt = 48, 32, pixels
            for _ in range(8):
                codes = rng.integers(0, 256, (32, 48, 3), dtype=np.uint8)
                out.mux(stream.encode(av.VideoFrame.from_ndarray(codes, "rgb24")))
            out.mux(stream.encode())
        return data.getvalue()

    return make


def _row() -> bytes:
    data = io.BytesIO()
    still = _picture("PNG")()
    pack_row([(f"{n}.png", io.BytesIO(still)) for n in range(3)], data)
    return data.getvalue()


SEEDS: dict[str, Callable[[], bytes]] = {
    "jpeg": _picture("JPEG"),
    "png": _picture("PNG"),
    "png16": _deep_png,
    "webp": _picture("WEBP"),
    "avif": _picture("AVIF"),
    "tiff": _picture("TIFF"),
    "exr": _exr,
    "pages": _pages,
    "pdf": _pdf,
    "svg": _svg,
    "openraster": _openraster,
    "mp4": _clip("mp4", "libx264", "yuv420p"),
    "webm": _clip("webm", "libvpx-vp9", "yuv420p"),
    "mov": _clip("mov", "prores_ks", "yuv422p10le"),
    "row": _row,
    "font": _font,
    "woff2": _woff2,
    "shot": _shot,
    "sheet": _sheet,
}


# --- mutants and what becomes of them ---------------------------------------------------------

_ODD = [0, 1, 0x7F, 0x80, 0xFF]
_WORDS = [b"-1", b"1e999", b"null", b"[]", b"{}", b'""', b"NaN", b"99999999999", b"true", b"0.5"]


def mutated(data: bytes, rng: np.random.Generator) -> bytes:
    """Return ``data`` with a few bytes changed, cut, repeated, or words put for numbers."""
    found = bytearray(data)
    for _ in range(int(rng.integers(1, 6))):
        at = int(rng.integers(0, max(1, len(found))))
        length = int(rng.integers(1, 9))
        kind = int(rng.integers(0, 6))
        if kind == 0 and found:
            found[at] = int(rng.integers(0, 256))
        elif kind == 1 and found:
            found[at] = _ODD[int(rng.integers(0, len(_ODD)))]
        elif kind == 2:
            del found[at : at + length]
        elif kind == 3:
            found[at:at] = found[at : at + length] * int(rng.integers(1, 40))
        elif kind == 4:
            found[at : at + length] = _WORDS[int(rng.integers(0, len(_WORDS)))]
        elif rng.random() < 0.2:
            del found[at:]
    return bytes(found)


def _read_picture(path: Path) -> None:
    found = documents.open_document(path, path.name)
    if found is None:
        decode.decode_codes(path, path.name)
        return
    for n in range(min(2, len(found.parts))):
        data, _ = documents.part_as_picture(path, path.name, n, height=64)
        decode.decode_codes(data, path.name)


def _read_clip(path: Path) -> None:
    if not clips.is_clip(path):
        raise PictureError(path.name, "this is no clip.")
    clip = clips.inspect_clip(path, path.name)
    clip = clip.until(clips.sound_frames(path, path.name, clip, 0, clip.frames))
    if not clip.frames:
        raise PictureError(path.name, "not one frame of it can be decoded.")
    for first in (0, clip.frames - 1):
        codes = clips.clip_codes(path, path.name, clip, first, 2)
        linear_from_clip(codes[0], clip.tags)


def _read_font(path: Path) -> None:
    _words_of(path, path.name)


def _read_shot(path: Path) -> None:
    parse_shot(_json(path))


def _read_sheet(path: Path) -> None:
    document = _json(path)
    parse_sheet(document)
    parse_cutset(document.get("cutset") if isinstance(document, dict) else document)


def _json(path: Path) -> object:
    try:
        return json.loads(path.read_bytes())
    except (ValueError, RecursionError) as error:
        raise PictureError(path.name, "this is not JSON.") from error


_READERS = {
    **dict.fromkeys(("mp4", "webm", "mov", "row"), _read_clip),
    **dict.fromkeys(("font", "woff2"), _read_font),
    "shot": _read_shot,
    "sheet": _read_sheet,
}
_BOUNDS = Bounds(memory=800_000_000, seconds=20)


class _Heard(logging.Handler):
    """Remembers what the servers' log would say: a death or an error nobody foresaw."""

    def __init__(self) -> None:
        super().__init__()
        self.said: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.said.append(record.getMessage())


def outcome(kind: str, data: bytes, folder: Path) -> str:
    """Return what becomes of a file: read, refused, died, or an error's name nobody foresaw."""
    path = folder / f"mutant.{kind}"
    path.write_bytes(data)
    heard, log = _Heard(), logging.getLogger("vistaline.core.confined")
    log.addHandler(heard)
    try:
        confined(_READERS.get(kind, _read_picture), path, name="mutant", bounds=_BOUNDS)
        return "read"
    except CoreError:
        if not heard.said:
            return "refused"
        words = heard.said[-1].strip().splitlines()[-1]
        return "died" if "died with code" in words else f"unforeseen: {words[:160]}"
    finally:
        log.removeHandler(heard)


def main() -> None:
    """Fuzz what the command line names; prints a line a kind, and the files that found a fault."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kind", choices=[*SEEDS, "all"], default="all")
    parser.add_argument("--count", type=int, default=1500, help="mutants a kind")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--keep", type=Path, default=Path("build/fuzz"))
    chosen = parser.parse_args()
    logging.getLogger("vistaline.core.confined").propagate = False
    bad = 0
    with tempfile.TemporaryDirectory() as folder:
        for kind in SEEDS if chosen.kind == "all" else [chosen.kind]:
            rng, seed = np.random.default_rng(chosen.seed), SEEDS[kind]()
            told: Counter[str] = Counter()
            if outcome(kind, seed, Path(folder)) != "read":
                sys.exit(f"{kind}: the sound file is not read")
            for n in range(chosen.count):
                mutant = mutated(seed, rng)
                found = outcome(kind, mutant, Path(folder))
                told[found] += 1
                if found not in ("read", "refused"):
                    bad += 1
                    chosen.keep.mkdir(parents=True, exist_ok=True)
                    (chosen.keep / f"{kind}-{chosen.seed}-{n}").write_bytes(mutant)
            words = ", ".join(f"{count} {what}" for what, count in told.most_common())
            sys.stdout.write(f"{kind:>11}: {words}\n")
            sys.stdout.flush()
    sys.stdout.write(f"{bad} crashed or were unforeseen\n")
    sys.exit(1 if bad else 0)


if __name__ == "__main__":
    # By its name, as the children know it.
    from tests.core import strangers

    strangers.main()
