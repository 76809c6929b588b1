"""OpenRaster, PDF, SVG and TIFF pages: against their published layouts and other readers."""

import io
import zipfile
from pathlib import Path
from xml.etree import ElementTree

import cv2
import numpy as np
import pypdf
import pytest
from PIL import Image

from vistaline.core.errors import PictureError
from vistaline.core.formats.documents import open_document, part_as_picture
from vistaline.core.formats.openraster import RasterLayer, read_openraster, write_openraster
from vistaline.core.picture.still import STILL_KINDS, encode_png, encode_still


@pytest.fixture
def codes(rng: np.random.Generator) -> np.ndarray:
    return rng.integers(0, 65536, (30, 40, 4), dtype=np.uint16)


def layers(codes: np.ndarray) -> list[RasterLayer]:
    return [
        RasterLayer(name="Reeds", png=encode_png(codes), x=5, y=-3, opacity=0.5, blend="multiply"),
        RasterLayer(name="Bay", png=encode_png(codes[..., :3]), visible=False),
    ]


def test_openraster_has_the_published_layout(codes: np.ndarray, tmp_path: Path) -> None:
    """OpenRaster baseline: mimetype first and stored, stack.xml, mergedimage, thumbnail."""
    path = tmp_path / "set.ora"
    write_openraster(path, (60, 50), layers(codes))
    with zipfile.ZipFile(path) as archive:
        first = archive.infolist()[0]
        assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
        assert path.read_bytes()[38:54] == b"image/openraster"
        root = ElementTree.fromstring(archive.read("stack.xml"))
        assert root.tag == "image" and (root.get("w"), root.get("h")) == ("60", "50")
        found = [element.attrib for element in root.find("stack")]  # type: ignore[union-attr]
        assert [each["name"] for each in found] == ["Reeds", "Bay"]
        assert found[0]["composite-op"] == "svg:multiply" and found[0]["opacity"] == "0.5"
        assert (found[0]["x"], found[0]["y"]) == ("5", "-3")
        assert found[1]["visibility"] == "hidden"
        merged = Image.open(io.BytesIO(archive.read("mergedimage.png")))
        thumb = Image.open(io.BytesIO(archive.read("Thumbnails/thumbnail.png")))
        assert merged.size == (60, 50) and max(thumb.size) <= 256


def test_openraster_comes_back_exactly(codes: np.ndarray, tmp_path: Path) -> None:
    path = tmp_path / "set.ora"
    write_openraster(path, (60, 50), layers(codes))
    back = read_openraster(path, "set.ora")
    assert (back.width, back.height) == (60, 50)
    assert list(back.layers) == layers(codes) and back.remarks == ()
    document = open_document(path, "set.ora")
    assert document and document.canvas == (60, 50)
    data, extension = part_as_picture(path, "set.ora", 0)
    again = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    assert extension == "png"
    np.testing.assert_array_equal(cv2.cvtColor(again, cv2.COLOR_BGRA2RGBA), codes)


def odd_openraster(path: Path, codes: np.ndarray, xml: str, mimetype: str) -> None:
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("mimetype", mimetype)
        archive.writestr("stack.xml", xml)
        archive.writestr("data/a.png", encode_png(codes))


def test_what_openraster_cannot_keep_is_said(codes: np.ndarray, tmp_path: Path) -> None:
    """Unknown blend modes, missing files, names with paths, layers outside, nested stacks."""
    xml = """<image w="60" h="50"><stack><stack x="2" y="1" opacity="0.5">
      <layer name="../../etc/passwd" src="data/a.png" x="3" opacity="0.5"
             composite-op="svg:odd"/></stack>
      <layer name="gone" src="data/gone.png"/><layer name="far" src="data/a.png" x="900"/>
    </stack></image>"""
    path = tmp_path / "odd.ora"
    odd_openraster(path, codes, xml, "image/openraster")
    raster = read_openraster(path, "odd.ora")
    first = raster.layers[0]
    assert (first.name, first.x, first.y, first.opacity, first.blend) == (
        "passwd", 5, 1, 0.25, "normal",
    )  # fmt: skip
    words = " ".join(raster.remarks)
    assert "svg:odd is not known" in words
    assert "data/gone.png is missing" in words and "far lies wholly outside" in words


ENTITIES = '<!DOCTYPE i [<!ENTITY a "aaaa">]><image w="6" h="5"><stack name="&a;"/></image>'


@pytest.mark.parametrize(
    ("xml", "mimetype", "sentence"),
    [
        ("<image w='6' h='5'><stack/></image>", "image/openraster", "no layer"),
        ("<image w='6' h='5'><stack", "image/openraster", "damaged"),
        ("<image><stack/></image>", "image/openraster", "how large"),
        ("<image w='900000' h='900000'><stack/></image>", "image/openraster", "cannot be used"),
        (ENTITIES, "image/openraster", "entities"),
        ("<image w='6' h='5'><stack/></image>", "text/plain", "not an OpenRaster"),
        ("<image w='6' h='5'><stack/></image>" + " " * 9_000_000, "image/openraster", "times its"),
    ],
)
def test_broken_openraster_is_refused(
    codes: np.ndarray, tmp_path: Path, xml: str, mimetype: str, sentence: str
) -> None:
    path = tmp_path / "bad.ora"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", mimetype, zipfile.ZIP_STORED)
        archive.writestr("stack.xml", xml)
    with pytest.raises(PictureError, match=sentence):
        read_openraster(path, "bad.ora")


def pdf(tmp_path: Path, pages: int = 2, password: str = "") -> Path:
    """Return a PDF as pypdf, another implementation, writes it."""
    writer = pypdf.PdfWriter()
    for n in range(pages):
        writer.add_blank_page(200 + n, 300)
    if password:
        writer.encrypt(password)
    path = tmp_path / "logbook.pdf"
    writer.write(path)
    return path


def test_pdf_pages_come_at_the_chosen_height(tmp_path: Path) -> None:
    path = pdf(tmp_path)
    document = open_document(path, "logbook.pdf")
    assert document and document.scalable
    assert [(part.name, part.width, part.height) for part in document.parts] == [
        ("Page 1", 200, 300),
        ("Page 2", 201, 300),
    ]
    data, _ = part_as_picture(path, "logbook.pdf", 0)
    assert Image.open(io.BytesIO(data)).size == (3000, 4500)
    with pytest.raises(PictureError, match="Choose fewer"):
        part_as_picture(path, "logbook.pdf", 0, height=31_000)


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        ("encrypt", "encrypted and asks for a password"),
        ("truncate", "breaks off or is damaged"),
        ("many", "2,001 pages"),
    ],
)
def test_pdfs_that_cannot_be_used(tmp_path: Path, change: str, sentence: str) -> None:
    path = pdf(tmp_path, 2001 if change == "many" else 1, "x" if change == "encrypt" else "")
    if change == "truncate":
        path.write_bytes(path.read_bytes()[:60])
    with pytest.raises(PictureError, match=sentence):
        open_document(path, "logbook.pdf")


SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 10">{}</svg>'


def test_svg_is_drawn_at_the_chosen_size(tmp_path: Path) -> None:
    path = tmp_path / "mark.svg"
    path.write_text(SVG.format('<rect width="10" height="10" fill="#ff0000"/>'))
    data, _ = part_as_picture(path, "mark.svg", 0, height=500)
    drawn = np.asarray(Image.open(io.BytesIO(data)))
    assert drawn.shape == (500, 1000, 4)
    assert tuple(drawn[250, 250]) == (255, 0, 0, 255) and drawn[250, 750, 3] == 0


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        (SVG.format('<image href="/etc/passwd"/>'), "needs another file"),
        (SVG.format("<rect"), "damaged"),
        ('<svg xmlns="http://www.w3.org/2000/svg"/>', "no size"),
        ('<?xml version="1.0"?><html/>', "not an SVG"),
    ],
)
def test_drawings_that_cannot_be_used(tmp_path: Path, text: str, sentence: str) -> None:
    path = tmp_path / "mark.svg"
    path.write_text(text)
    with pytest.raises(PictureError, match=sentence):
        open_document(path, "mark.svg")


@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
def test_tiff_pages_keep_their_depth(tmp_path: Path, codes: np.ndarray, depth: type) -> None:
    """Written by OpenCV, page 2 is read back to the code."""
    second = codes[..., :3] if depth is np.uint16 else (codes[..., :3] >> 8).astype(np.uint8)
    path = tmp_path / "plates.tif"
    cv2.imwritemulti(str(path), [second[:20], cv2.cvtColor(second, cv2.COLOR_RGB2BGR)])
    document = open_document(path, "plates.tif")
    assert document and [part.height for part in document.parts] == [20, 30]
    data, _ = part_as_picture(path, "plates.tif", 1)
    back = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    np.testing.assert_array_equal(cv2.cvtColor(back, cv2.COLOR_BGR2RGB), second)


@pytest.mark.parametrize("kind", STILL_KINDS)
def test_stills_read_back_elsewhere(codes: np.ndarray, kind: str) -> None:
    """By Pillow and OpenCV; lossless kinds to the code, PNG's bit depth as IHDR says (11.2.2)."""
    data = encode_still(codes, kind)  # type: ignore[arg-type]
    eight = ((codes.astype(np.uint32) + 128) // 257).astype(np.uint8)
    if kind == "jpeg":
        assert Image.open(io.BytesIO(data)).mode == "RGB"
        return
    if kind.startswith("png"):
        assert data[24] == (16 if kind == "png16" else 8)
    if kind == "webp":
        assert Image.open(io.BytesIO(data)).mode == "RGBA"
        return
    back = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    expected = codes if kind.endswith("16") else eight
    np.testing.assert_array_equal(cv2.cvtColor(back, cv2.COLOR_BGRA2RGBA), expected)
