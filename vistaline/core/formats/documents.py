"""Files that hold several pictures, or one of no fixed size: OpenRaster, PDF, SVG, TIFF pages.

Opening one tells its parts; each part then becomes a picture of its own.
"""

from __future__ import annotations

import io
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Literal
from xml.etree.ElementTree import Element, ParseError

import cv2
import defusedxml.ElementTree
import pypdfium2
import resvg_py
from defusedxml.common import DefusedXmlException
from PIL import Image

from vistaline.core.errors import PictureError
from vistaline.core.formats.openraster import read_openraster
from vistaline.core.picture.decode import PIXEL_LIMIT, SIDE_LIMIT
from vistaline.core.picture.still import encode_png

__all__ = ["DEFAULT_TALL", "Document", "open_document", "part_as_picture"]

DEFAULT_TALL = 4500
"""Pixels a page is tall unless somebody chooses otherwise."""
MOST_PAGES = 2000
DEEPEST = 200
"""Elements of a drawing that may lie in each other; the library that draws it recurses."""

_UNREADABLE = (OSError, EOFError, SyntaxError, ValueError, TypeError, RuntimeError, KeyError)
"""What Pillow's TIFF reader raises where a page makes no sense."""

Kind = Literal["openraster", "pdf", "svg", "tiff"]


@dataclass(frozen=True, kw_only=True)
class DocumentPart:
    """A page or a layer. Sizes are pixels, or points (1/72 inch) for pages of a PDF."""

    name: str
    width: float
    height: float
    x: int = 0
    y: int = 0
    opacity: float = 1.0
    blend: str = "normal"


@dataclass(frozen=True, kw_only=True)
class Document:
    """What a file holds; ``canvas`` is there if its parts lie in register on one."""

    kind: Kind
    parts: tuple[DocumentPart, ...]
    canvas: tuple[int, int] | None = None
    remarks: tuple[str, ...] = ()

    @property
    def scalable(self) -> bool:
        """Whether a part can be made at any size."""
        return self.kind in ("pdf", "svg")


def open_document(path: Path, name: str) -> Document | None:
    """Return what the file holds; None if it is an ordinary picture, or nothing known here.

    Raises
    ------
    PictureError
        A document that is broken, encrypted, or too large.
    """
    with path.open("rb") as file:
        head = file.read(4096)
    if head.startswith(b"PK\x03\x04"):
        return _openraster(path, name)
    if b"%PDF-" in head[:1024]:
        return _pdf(path, name)
    if head[:4] in (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+"):
        return _tiff(path, name)
    if re.match(rb"(\xef\xbb\xbf)?\s*(<\?xml|<!--|<!DOCTYPE svg|<svg)", head):
        return _svg(path, name)
    return None


def part_as_picture(
    path: Path,
    name: str,
    index: int,
    *,
    height: int = DEFAULT_TALL,
    document: Document | None = None,
) -> tuple[bytes, str]:
    """Return a part as an ordinary picture file and its extension.

    ``height`` in pixels is for pages and drawings; layers and TIFF pages keep their pixels.
    ``document`` is what the file holds, where that is known already.
    """
    document = document or open_document(path, name)
    if document is None or not 0 <= index < len(document.parts):
        raise PictureError(name, f"it has no part {index + 1}.")
    part = document.parts[index]
    if document.scalable:
        _check_size(round(part.width / part.height * height), height, name)
    if document.kind == "openraster":
        return read_openraster(path, name, only=index).layers[index].png, "png"
    if document.kind == "pdf":
        return _pdf_page(path, name, index, height), "png"
    if document.kind == "svg":
        return _svg_drawn(path, name, part, height), "png"
    return _tiff_page(path, name, index), "png"


def _check_size(width: int, height: int, name: str) -> None:
    if not (1 <= height and width >= 1 and width * height <= PIXEL_LIMIT) or (
        max(width, height) > SIDE_LIMIT
    ):
        raise PictureError(
            name,
            f"at this size it would have {width:,} × {height:,} pixels; the limit is "
            f"{PIXEL_LIMIT // 1_000_000} megapixels. Choose fewer.",
        )


def _openraster(path: Path, name: str) -> Document:
    raster = read_openraster(path, name, only=-1)
    parts = []
    for layer in raster.layers:
        parts.append(
            DocumentPart(
                name=layer.name,
                width=layer.size[0],
                height=layer.size[1],
                x=layer.x,
                y=layer.y,
                opacity=layer.opacity if layer.visible else 0.0,
                blend=layer.blend,
            )
        )
    return Document(
        kind="openraster",
        parts=tuple(parts),
        canvas=(raster.width, raster.height),
        remarks=raster.remarks,
    )


# --- PDF --------------------------------------------------------------------------------------


def _opened_pdf(path: Path, name: str) -> pypdfium2.PdfDocument:
    try:
        return pypdfium2.PdfDocument(path)
    except pypdfium2.PdfiumError as error:
        if "password" in str(error).lower():
            reason = "the PDF is encrypted and asks for a password. Save it without one."
        else:
            reason = "the PDF breaks off or is damaged. Save or copy it again."
        raise PictureError(name, reason) from error


def _pdf(path: Path, name: str) -> Document:
    with _opened_pdf(path, name) as pdf:
        count = len(pdf)
        if not 1 <= count <= MOST_PAGES:
            raise PictureError(
                name, f"it has {count:,} pages; 1 to {MOST_PAGES:,} can be read. Split it first."
            )
        try:
            sizes = [pdf.get_page_size(n) for n in range(count)]
        except pypdfium2.PdfiumError as error:
            raise PictureError(name, "a page is damaged. Save the PDF again.") from error
    if any(not (0 < width < 1e6 and 0 < height < 1e6) for width, height in sizes):
        raise PictureError(name, "a page has no size. Save the PDF again.")
    return Document(
        kind="pdf",
        parts=tuple(
            DocumentPart(name=f"Page {n + 1}", width=width, height=height)
            for n, (width, height) in enumerate(sizes)
        ),
    )


def _pdf_page(path: Path, name: str, index: int, height: int) -> bytes:
    with _opened_pdf(path, name) as pdf:
        page = pdf[index]
        try:
            image = page.render(scale=height / page.get_height()).to_pil().convert("RGB")
        except (pypdfium2.PdfiumError, ValueError) as error:
            raise PictureError(name, f"page {index + 1} could not be drawn.") from error
    return _png(image)


# --- SVG --------------------------------------------------------------------------------------


def _svg(path: Path, name: str) -> Document:
    width, height = _svg_size(_svg_root(path.read_bytes(), name), name)
    return Document(
        kind="svg", parts=(DocumentPart(name=Path(name).stem, width=width, height=height),)
    )


def _svg_root(data: bytes, name: str) -> Element:
    try:
        root: Element = defusedxml.ElementTree.fromstring(data)
    except (ParseError, ValueError, DefusedXmlException) as error:
        raise PictureError(
            name, "the drawing is damaged, or uses entities. Save it again as plain SVG."
        ) from error
    if root.tag.rsplit("}", 1)[-1] != "svg":
        raise PictureError(name, "this is XML, but not an SVG drawing.")
    if _depth(root) > DEEPEST:
        raise PictureError(
            name, f"its groups lie more than {DEEPEST} deep in each other. Flatten it, then save."
        )
    for element in root.iter():
        for key, value in element.attrib.items():
            inside = value.strip().startswith(("#", "data:"))
            if key.rsplit("}", 1)[-1] == "href" and not inside and not _is_link(element):
                raise PictureError(
                    name, f"the drawing needs another file ({value[:60]}). Embed it, then save."
                )
    return root


def _depth(root: Element) -> int:
    depth, level = 0, [root]
    while level:
        depth, level = depth + 1, [child for element in level for child in element]
    return depth


def _is_link(element: Element) -> bool:
    return element.tag.rsplit("}", 1)[-1] == "a"


def _svg_size(root: Element, name: str) -> tuple[float, float]:
    """Return width and height: those of the drawing, else of its view box (SVG 2, 8.2)."""
    number = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"  # SVG 2, 4.3: <number>
    box = [float(n) for n in re.findall(number, root.get("viewBox", ""))[:4]]
    sides = []
    for key, index in (("width", 2), ("height", 3)):
        match = re.match(rf"\s*({number})", root.get(key, ""))
        if match and "%" not in root.get(key, ""):
            sides.append(float(match[1]))
        elif len(box) == 4:
            sides.append(box[index])
    if len(sides) != 2 or not all(0 < side < 1e6 for side in sides):
        raise PictureError(name, "the drawing has no size. Give it a width, a height or a viewBox.")
    return sides[0], sides[1]


def _svg_drawn(path: Path, name: str, part: DocumentPart, height: int) -> bytes:
    try:
        drawn: bytes = resvg_py.svg_to_bytes(
            svg_string=path.read_bytes().decode("utf-8-sig"),
            width=max(1, round(part.width / part.height * height)),
            height=height,
        )
    except (ValueError, UnicodeDecodeError) as error:
        raise PictureError(name, f"the drawing could not be drawn ({error}).") from error
    return drawn


# --- TIFF -------------------------------------------------------------------------------------


def _tiff(path: Path, name: str) -> Document | None:
    """Return the pages; None for a single one, which is an ordinary picture."""
    try:
        with Image.open(path, formats=["TIFF"]) as image:
            count = getattr(image, "n_frames", 1)
            if count == 1:
                return None
            if count > MOST_PAGES:
                raise PictureError(name, f"it has {count:,} pages; at most {MOST_PAGES:,}.")
            parts = []
            for n in range(count):
                image.seek(n)
                _check_size(*image.size, name)
                parts.append(
                    DocumentPart(name=f"Page {n + 1}", width=image.width, height=image.height)
                )
    except _UNREADABLE as error:
        if isinstance(error, PictureError):
            raise
        return None  # a single page says better what is wrong with it
    return Document(kind="tiff", parts=tuple(parts))


def _tiff_page(path: Path, name: str, index: int) -> bytes:
    """Return a page as PNG, 8 or 16 bits as it was."""
    ok, pages = cv2.imreadmulti(str(path), index, 1, flags=cv2.IMREAD_UNCHANGED)
    if ok and pages and pages[0].dtype == "uint16":
        codes = pages[0]
        if codes.ndim == 3:
            swap = cv2.COLOR_BGRA2RGBA if codes.shape[2] == 4 else cv2.COLOR_BGR2RGB
            codes = cv2.cvtColor(codes, swap)
        return encode_png(codes, level=1)
    try:
        with Image.open(path, formats=["TIFF"]) as image:
            image.seek(index)
            profile = image.info.get("icc_profile")
            flat = image.convert("RGBA" if image.has_transparency_data else "RGB")
    except _UNREADABLE as error:
        raise PictureError(name, f"page {index + 1} breaks off or is damaged.") from error
    return _png(flat, icc_profile=profile)


def _png(image: Image.Image, **options: object) -> bytes:
    data = io.BytesIO()
    image.save(data, "PNG", compress_level=1, **options)
    return data.getvalue()
