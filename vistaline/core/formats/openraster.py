"""OpenRaster: the layers of a painting program in one archive of PNG files.

Source: the OpenRaster file layout specification, baseline (mimetype first and stored, stack.xml,
mergedimage.png, Thumbnails/thumbnail.png; layers in stack.xml stand topmost first).
"""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from xml.etree.ElementTree import Element, ParseError, SubElement, tostring

import defusedxml.ElementTree
from defusedxml.common import DefusedXmlException
from PIL import Image

from vistaline.core.errors import PictureError
from vistaline.core.files import write_atomically
from vistaline.core.picture.decode import PIXEL_LIMIT, PictureInfo, inspect_picture

__all__ = ["RasterLayer", "read_openraster", "write_openraster"]

MIMETYPE = b"image/openraster"
BLEND_MODES = {
    "svg:src-over": "normal",
    "svg:multiply": "multiply",
    "svg:screen": "screen",
    "svg:overlay": "overlay",
    "svg:darken": "darken",
    "svg:lighten": "lighten",
    "svg:color-dodge": "color-dodge",
    "svg:color-burn": "color-burn",
    "svg:hard-light": "hard-light",
    "svg:soft-light": "soft-light",
    "svg:difference": "difference",
    "svg:color": "color",
    "svg:luminosity": "luminosity",
    "svg:hue": "hue",
    "svg:saturation": "saturation",
    "svg:plus": "add",
}
"""OpenRaster's composite-op -> the mode's name in W3C Compositing and Blending."""
_OPERATORS = {mode: operator for operator, mode in BLEND_MODES.items()}

_LARGEST_RATIO = 200
_LARGEST_TOTAL = 2_000_000_000
_MOST_LAYERS = 500
_MOST_PIXELS = 2_000_000_000
_THUMBNAIL = 256


@dataclass(frozen=True, kw_only=True)
class RasterLayer:
    """One layer: its PNG file unchanged, and how it lies on the canvas."""

    name: str
    png: bytes
    x: int = 0
    y: int = 0
    opacity: float = 1.0
    blend: str = "normal"
    visible: bool = True
    size: tuple[int, int] = field(default=(0, 0), compare=False)
    """Width and height in pixels; known of layers that were read."""


@dataclass(frozen=True, kw_only=True)
class OpenRaster:
    """A canvas and its layers, the topmost (nearest) first."""

    width: int
    height: int
    layers: tuple[RasterLayer, ...]
    remarks: tuple[str, ...] = field(default=())
    """What could not be kept as it was, in sentences."""


def read_openraster(path: Path, name: str, *, only: int | None = None) -> OpenRaster:
    """Read an OpenRaster file. Nested stacks are laid flat; nothing is unpacked to disk.

    With ``only`` the files of all other layers are left out; -1 leaves out all.

    Raises
    ------
    PictureError
        Not OpenRaster, damaged, or an archive that would unpack to more than it should.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            _check_archive(archive, name)
            root = defusedxml.ElementTree.fromstring(archive.read("stack.xml"))
            return _read(_Entries(archive, keep=only is None), root, name, only)
    except (DefusedXmlException, NotImplementedError, RuntimeError) as error:
        raise PictureError(
            name, "the OpenRaster file uses entities or encryption. Save it again without them."
        ) from error
    except (
        zipfile.BadZipFile, zlib.error, KeyError, EOFError, OSError, ParseError, struct.error,
        ValueError, RecursionError,
    ) as error:  # fmt: skip
        if isinstance(error, PictureError):
            raise
        raise PictureError(
            name, "the OpenRaster file breaks off or is damaged. Save or copy it again."
        ) from error


def _check_archive(archive: zipfile.ZipFile, name: str) -> None:
    if "mimetype" not in archive.namelist() or archive.read("mimetype").strip() != MIMETYPE:
        raise PictureError(name, "this archive is not an OpenRaster file. Save it as one.")
    entries = archive.infolist()
    total = sum(entry.file_size for entry in entries)
    packed = max(1, sum(entry.compress_size for entry in entries))
    if total > _LARGEST_TOTAL or total / packed > _LARGEST_RATIO:
        raise PictureError(
            name,
            f"the archive would unpack to {total / 1e6:,.0f} MB, {total / packed:,.0f} times its "
            "size. That is refused; save the layers as ordinary PNG.",
        )


class _Entries:
    """An archive's files: each is unpacked once, however many layers name it."""

    def __init__(self, archive: zipfile.ZipFile, *, keep: bool) -> None:
        self._archive, self._keep = archive, keep
        self._names = set(archive.namelist())
        self._known: dict[str, tuple[PictureInfo, bytes]] = {}

    def __contains__(self, name: str) -> bool:
        return name in self._names

    def picture(self, name: str, words: str) -> tuple[PictureInfo, bytes]:
        """Return a picture's header and its file, or none of the file where it is not kept."""
        if name not in self._known:
            png = self.read(name)
            self._known[name] = inspect_picture(png, words), png if self._keep else b""
        return self._known[name]

    def read(self, name: str) -> bytes:
        """Return a file's bytes."""
        return self._archive.read(name)


def _read(entries: _Entries, root: Element, name: str, only: int | None) -> OpenRaster:
    try:
        width, height = int(root.attrib["w"]), int(root.attrib["h"])
    except (KeyError, ValueError) as error:
        raise PictureError(name, "stack.xml does not say how large the canvas is.") from error
    if width < 1 or height < 1 or width * height > PIXEL_LIMIT:
        raise PictureError(name, f"its canvas of {width:,} × {height:,} pixels cannot be used.")
    layers: list[RasterLayer] = []
    remarks: list[str] = []
    pixels = 0
    for element, x, y, opacity, visible in _flat(root.find("stack"), 0, 0, 1.0, True):
        layer = _layer(entries, element, (x, y), opacity, visible, name, remarks)
        if layer is None:
            continue
        source = element.get("src", "")
        try:
            info, png = entries.picture(source, f"{name}, layer {layer.name}")
            if only == len(layers):
                png = entries.read(source)
        except (zipfile.BadZipFile, zlib.error, EOFError) as error:
            raise PictureError(
                name, f"layer {layer.name} is damaged. Save the file again."
            ) from error
        pixels += info.width * info.height
        if len(layers) == _MOST_LAYERS:
            raise PictureError(name, f"it has more than {_MOST_LAYERS} layers. Merge some first.")
        if pixels > _MOST_PIXELS:
            raise PictureError(
                name,
                f"its layers have more than {_MOST_PIXELS // 1_000_000:,} megapixels together. "
                "Merge some, or crop them to what they show.",
            )
        layers.append(replace(layer, png=png, size=(info.width, info.height)))
        if not (-info.width < layer.x < width and -info.height < layer.y < height):
            remarks.append(f"{layer.name} lies wholly outside the canvas.")
    if not layers:
        raise PictureError(name, "it holds no layer that can be read.")
    return OpenRaster(width=width, height=height, layers=tuple(layers), remarks=tuple(remarks))


_Placed = tuple[Element, int, int, float, bool]


def _flat(
    stack: Element | None, x: int, y: int, opacity: float, visible: bool
) -> Iterator[_Placed]:
    """Yield the layers of nested stacks with what their stacks add to them."""
    for element in stack if stack is not None else ():
        at = (x + _whole(element.get("x")), y + _whole(element.get("y")))
        strength = opacity * _share(element.get("opacity"))
        seen = visible and element.get("visibility", "visible") != "hidden"
        if element.tag == "stack":
            yield from _flat(element, *at, strength, seen)
        elif element.tag == "layer":
            yield element, *at, strength, seen


def _layer(
    entries: _Entries,
    element: Element,
    at: tuple[int, int],
    opacity: float,
    visible: bool,
    name: str,
    remarks: list[str],
) -> RasterLayer | None:
    # A name is for people only: whatever path it carries is dropped.
    label = (element.get("name") or "Layer").replace("\\", "/").rsplit("/", 1)[-1][:80] or "Layer"
    source = element.get("src", "")
    if source not in entries:
        remarks.append(f"{label}: its file {source or '(none named)'} is missing; left out.")
        return None
    operator = element.get("composite-op", "svg:src-over")
    if operator not in BLEND_MODES:
        remarks.append(f"{label}: the blend mode {operator} is not known here; it is shown normal.")
    return RasterLayer(
        name=label,
        png=b"",
        x=at[0],
        y=at[1],
        opacity=opacity,
        blend=BLEND_MODES.get(operator, "normal"),
        visible=visible,
    )


def _whole(text: str | None) -> int:
    try:
        return max(-1_000_000, min(1_000_000, round(float(text or 0))))
    except (ValueError, OverflowError):
        return 0


def _share(text: str | None) -> float:
    try:
        return max(0.0, min(1.0, float(text if text is not None else 1)))
    except ValueError:
        return 1.0


def write_openraster(path: Path, size: tuple[int, int], layers: Sequence[RasterLayer]) -> None:
    """Write layers, topmost first; their PNG files go in unchanged, so the way back is exact.

    The merged image composites in normal mode, hidden layers left out.
    """
    image = Element("image", version="0.0.5", w=str(size[0]), h=str(size[1]))
    stack = SubElement(image, "stack", name="root")
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as archive:
        archive.writestr("mimetype", MIMETYPE, zipfile.ZIP_STORED)
        for n, layer in enumerate(layers):
            source = f"data/layer{n:03d}.png"
            SubElement(
                stack,
                "layer",
                {
                    "name": layer.name,
                    "src": source,
                    "x": str(layer.x),
                    "y": str(layer.y),
                    "opacity": f"{layer.opacity:.6g}",
                    "visibility": "visible" if layer.visible else "hidden",
                    "composite-op": _OPERATORS.get(layer.blend, "svg:src-over"),
                },
            )
            archive.writestr(source, layer.png, zipfile.ZIP_STORED)
        xml = tostring(image, encoding="UTF-8", xml_declaration=True)
        archive.writestr("stack.xml", xml, zipfile.ZIP_DEFLATED)
        merged = _merged(size, layers)
        archive.writestr("mergedimage.png", _png(merged), zipfile.ZIP_STORED)
        merged.thumbnail((_THUMBNAIL, _THUMBNAIL))
        archive.writestr("Thumbnails/thumbnail.png", _png(merged), zipfile.ZIP_STORED)
    write_atomically(path, data.getvalue())


def _merged(size: tuple[int, int], layers: Sequence[RasterLayer]) -> Image.Image:
    canvas = Image.new("RGBA", size)
    for layer in reversed(layers):
        if not layer.visible or layer.opacity == 0:
            continue
        with Image.open(io.BytesIO(layer.png), formats=["PNG"]) as opened:
            picture = opened.convert("RGBA")
        if layer.opacity < 1:
            faded = picture.getchannel("A").point(lambda code, by=layer.opacity: round(code * by))
            picture.putalpha(faded)
        # Pasted alone first: alpha_composite refuses places outside the canvas.
        placed = Image.new("RGBA", size)
        placed.paste(picture, (layer.x, layer.y))
        canvas = Image.alpha_composite(canvas, placed)
    return canvas


def _png(image: Image.Image) -> bytes:
    data = io.BytesIO()
    image.save(data, "PNG", compress_level=3)
    return data.getvalue()
