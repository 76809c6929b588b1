"""Both picture benches in Chromium: prepare, cut by outline and strokes, fill, send, render."""

from __future__ import annotations

import io
import re
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import box_of, fresh_sheets, idle
from tests.photos import overlap, photograph, subject_of
from vistaline.core.formats.openraster import RasterLayer, write_openraster
from vistaline.core.picture.still import encode_png

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

PHOTOGRAPH, PLATE = "photograph.jpg", "glass-plate.jpg"


def open_picture(page: Page, name: str, bench: str) -> None:
    """Open a picture as it came: nothing is prepared, nothing cut."""
    fresh_sheets()
    page.goto("/projects/1")
    tile = page.locator(".tile", has=page.get_by_text(name, exact=True))
    tile.get_by_text(bench, exact=True).click()
    page.wait_for_selector(".board[data-ready]")
    page.wait_for_selector("#steps h2, #cutout h2", state="attached")
    idle(page)


def version(page: Page) -> int:
    return int(page.locator("#at [name=version]").input_value())


class Board:
    """The picture on the screen, by its own pixels."""

    def __init__(self, page: Page) -> None:
        self.page, self.room = page, page.locator(".board")
        width, height = (int(word) for word in page.locator(".facts span").first.inner_text()
                         .removesuffix(" px").split(" × "))  # fmt: skip
        box = box_of(self.room)
        self.scale = float(self.room.get_attribute("data-scale") or 1)
        self.left = box["x"] + (box["width"] - width * self.scale) / 2
        self.top = box["y"] + (box["height"] - height * self.scale) / 2

    def at(self, x: float, y: float) -> tuple[float, float]:
        return self.left + x * self.scale, self.top + y * self.scale

    def click(self, x: float, y: float) -> None:
        self.page.mouse.click(*self.at(x, y))

    def stroke(self, *points: tuple[float, float]) -> None:
        self.page.mouse.move(*self.at(*points[0]))
        self.page.mouse.down()
        for point in points[1:]:
            self.page.mouse.move(*self.at(*point), steps=6)
        self.page.mouse.up()


def edited(page: Page, board: Board, act) -> None:  # type: ignore[no-untyped-def]
    """Do something that makes an edit, and wait until the page shows it."""
    before = int(board.room.get_attribute("data-ready") or 0)
    act()
    page.wait_for_function(
        "before => Number(document.querySelector('.board').dataset.ready) > before", arg=before
    )
    idle(page)


def steps(page: Page) -> Locator:
    return page.locator("#cutout .steps > li")


def mask(page: Page) -> np.ndarray:
    """Return the chosen cutout's mask at an eighth of its size, as its tiles have it."""
    state = page.request.get(f"{page.url.rsplit('/', 1)[0]}/separate.json").json()
    name = state["cutouts"][0]["mask"]
    rows = []
    for row in range(-(-state["size"][1] // 4096)):
        tiles = [
            page.request.get(f"{page.url.rsplit('/', 1)[0]}/tiles/mask/{name}/3/{column}/{row}")
            for column in range(-(-state["size"][0] // 4096))
        ]
        rows.append(
            np.hstack([np.asarray(Image.open(io.BytesIO(t.body())))[..., 3] for t in tiles])
        )
    return np.vstack(rows)


def test_preparing_an_old_plate(page: Page) -> None:
    open_picture(page, PLATE, "Prepare")
    board = Board(page)
    facts = page.locator(".facts")
    expect(facts).to_contain_text("2400 × 1350 px")
    expect(facts).to_contain_text("push in up to 1.25×")
    page.click("[data-adds=straighten]")
    expect(page.locator("[data-part=hint]")).to_contain_text("Draw a line")
    edited(page, board, lambda: board.stroke((300, 860), (900, 877), (1500, 894)))
    expect(page.locator("#s-degrees")).to_have_value("-1.62")
    expect(facts).not_to_contain_text("2400 × 1350")
    page.click("[data-adds=repair]")
    expect(page.locator("[data-part=hint]")).to_contain_text("Paint over damage")
    board = Board(page)
    edited(page, board, lambda: board.stroke((300, 200), (500, 500)))
    expect(page.locator("#steps")).to_contain_text("1 strokes, 0 protecting")
    page.click("[data-adds=crop]")
    expect(page.locator("[data-part=hint]")).to_contain_text("Drag the frame")
    edited(page, Board(page), lambda: page.click("[data-ratio='1:1']"))
    page.click("[data-adds=levels]")
    page.wait_for_selector("#s-black")
    expect(page.locator(".divider")).to_be_visible()
    before = page.locator(".board").screenshot()
    page.fill("#s-black", "0.3")
    edited(page, Board(page), lambda: page.keyboard.press("Enter"))
    idle(page)
    assert page.locator(".board").screenshot() != before
    # Off again, earlier, out; and one step back with the keyboard.
    names = page.locator(".step-name")
    expect(names).to_have_text(["Straighten", "Scratches and dust", "Crop", "Levels"])
    page.click("[aria-label='Levels earlier']")
    expect(names).to_have_text(["Straighten", "Scratches and dust", "Levels", "Crop"])
    page.locator(".board").click(position={"x": 5, "y": 5})
    page.keyboard.press("Control+z")
    expect(names).to_have_text(["Straighten", "Scratches and dust", "Crop", "Levels"])


def test_the_same_steps_for_two_pictures(page: Page) -> None:
    open_picture(page, "far-shore.png", "Prepare")
    page.click("[data-adds=turn]")
    page.wait_for_selector("[name=quarters]")
    page.check(".film input >> nth=1")
    page.click("text=Apply these steps to the ticked")
    idle(page)
    page.goto("/projects/1")
    expect(page.locator(".tile", has_text="295 × 4608")).to_have_count(1)
    expect(page.locator(".tile", has_text="1076 × 4608")).to_have_count(1)


def test_cutting_by_outline_likeness_plane_and_brush(page: Page) -> None:
    open_picture(page, PHOTOGRAPH, "Separate")
    board = Board(page)
    page.keyboard.press("2")
    corners = [(1700, 1600), (2200, 1600), (2200, 2400), (1700, 2400)]
    for corner in corners:
        board.click(*corner)
    edited(page, board, lambda: board.click(*corners[0]))
    expect(steps(page)).to_have_count(1)
    area = (mask(page) > 127).sum() * 64
    assert area == pytest.approx(500 * 800, rel=0.03)
    # A corner is moved, and turned into a curve; what was drawn follows.
    page.click("[data-reshapes='0']")
    edited(page, board, lambda: board.stroke((2200, 1600), (2500, 1500)))
    assert (mask(page) > 127).sum() * 64 > area * 1.2
    edited(page, board, lambda: page.mouse.dblclick(*board.at(2500, 1500)))
    page.keyboard.press("Escape")
    # The sky is picked by likeness and taken away again by choosing so in the list.
    page.keyboard.press("3")
    edited(page, board, lambda: board.click(300, 100))
    grown = (mask(page) > 127).sum()
    edited(page, board, lambda: page.select_option("[data-sets-effect='1']", "take"))
    assert (mask(page) > 127).sum() < grown
    page.keyboard.press("4")
    edited(page, board, lambda: board.stroke((3000, 300), (3600, 300)))
    edited(page, board, lambda: board.stroke((3000, 420), (3600, 420)))
    expect(steps(page).nth(2)).to_contain_text("Brush 2")
    page.keyboard.press("6")
    for corner in ((200, 1800), (800, 1700), (800, 2300)):
        board.click(*corner)
    edited(page, board, lambda: board.click(200, 2200))
    edited(page, board, lambda: page.click("text=Grow 2 px"))
    names = page.locator("#cutout .step-name")
    expect(names).to_have_text(["Outline", "Likeness", "Brush 2", "Plane", "Adjust"])
    for look in ("outline", "alpha", "cut"):
        page.click(f"[data-look={look}]")
        idle(page)
    for ground in ("black", "white", "colour", "plate"):
        page.click(f"[data-ground={ground}]")
    page.keyboard.press("9")
    expect(page.locator("[data-part=zoom]")).to_have_text("100 %")


def test_a_part_is_cut_out_and_what_it_hides_is_filled(page: Page) -> None:
    open_picture(page, PHOTOGRAPH, "Separate")
    board = Board(page)

    def outline(*corners: tuple[int, int]) -> None:
        page.keyboard.press("2")
        for corner in corners:
            board.click(*corner)
        edited(page, board, lambda: board.click(*corners[0]))

    outline((1700, 1600), (2200, 1600), (2200, 2400), (1700, 2400))
    page.click("text=Cut a part out of it")
    expect(page.locator("#cutouts .depth-card[data-cutout^=c]")).to_have_count(2)
    idle(page)
    outline((1800, 1750), (2000, 1750), (2000, 2000), (1800, 2000))
    page.click("[data-fills-part]")
    # It leads to where its tries are.
    expect(page.locator("[data-tab=plate]")).to_have_attribute("aria-selected", "true")
    expect(page.locator(".tries [data-state=done]")).to_have_count(1, timeout=120_000)


def test_what_stands_out_is_found_without_a_stroke(page: Page, tmp_path: Path) -> None:
    picture = photograph("coffee")
    (tmp_path / "cup.png").write_bytes(encode_png(picture))
    page.fill("[name=name]", "A cup")
    page.click("text=Start project")
    page.set_input_files("input[type=file]", tmp_path / "cup.png")
    page.locator(".tile").get_by_text("Separate", exact=True).click()
    page.wait_for_selector(".board[data-ready]")
    idle(page)
    board = Board(page)
    page.keyboard.press("5")
    edited(page, board, lambda: page.keyboard.press("f"))
    expect(steps(page)).to_have_text([re.compile("Stands out")])
    true = subject_of("coffee", picture)[4::8, 4::8]
    found = mask(page)[: true.shape[0], : true.shape[1]] > 127
    assert overlap(found, true) > 0.85
    # A stroke says more of the same guess; undone, it is as it was found.
    edited(page, board, lambda: board.stroke((180, 60), (240, 200)))
    expect(steps(page)).to_have_text([re.compile(r"Stands out\s*1 / 0")])
    edited(page, board, lambda: page.keyboard.press("Control+z"))
    expect(steps(page)).to_have_count(1)


def test_from_strokes_to_a_rendered_frame(page: Page) -> None:
    open_picture(page, PHOTOGRAPH, "Separate")
    board = Board(page)
    page.keyboard.press("5")
    page.fill("[name=size]", "40")
    page.keyboard.press("Tab")
    edited(page, board, lambda: board.stroke((1865, 1700), (1870, 1760), (1870, 2200)))
    page.click("[data-says=not_this]")
    edited(page, board, lambda: board.stroke((1700, 1650), (1680, 2230), (1700, 2330)))
    edited(page, board, lambda: board.stroke((2060, 1650), (2200, 2000), (2150, 2240)))
    expect(steps(page)).to_have_text([re.compile(r"Guess 1 /\s+2")])
    found = (mask(page) > 127).sum() * 64
    assert 50_000 < found < 400_000
    page.keyboard.press("7")
    edited(page, board, lambda: board.stroke((1740, 2250), (1960, 2250)))
    page.click("[data-solves]")
    page.click("[data-look=cut]")
    expect(page.locator("[data-part=care]")).to_have_text("edge solved", timeout=120_000)
    page.click("[data-tab=plate]")
    page.click("#plate [data-tool=avoid]")
    board.stroke((1000, 1800), (1100, 2300))
    expect(page.locator("[data-part=areas]")).to_contain_text("1 not to")
    page.check("[name=method][value=smooth]")
    page.click("#fill .btn-ink")
    expect(page.locator(".tries [data-state=done]")).to_have_count(1, timeout=180_000)
    page.click("#fill .btn-ink")
    expect(page.locator(".tries [data-state=done]")).to_have_count(2, timeout=240_000)
    edited(page, board, lambda: page.click(".tries li:nth-child(2) .look"))
    # Something is copied from beside, by hand.
    page.keyboard.press("8")
    board.click(1500, 1900)
    edited(page, board, lambda: board.stroke((1850, 1900), (1900, 1950)))
    expect(page.locator("#plate")).to_contain_text("1 clone strokes")
    page.click("[data-tab=send]")
    page.fill("[name=name][value=photograph]", "The keeper, cut")
    page.click("button:text('Send the set')")
    done = page.locator(".task[data-kind=send][data-state=done]")
    expect(done).to_be_visible(timeout=120_000)
    done.get_by_role("link").click()
    page.wait_for_selector(".gate[data-ready]")
    expect(page.locator(".depth-name")).to_have_text(["Cutout 1", "Plate"])
    shot = page.url.rsplit("/", 1)[0]
    frame = page.request.get(f"{shot}/frame.png?n=0&width=1152").body()
    rendered = np.asarray(Image.open(io.BytesIO(frame))).astype(int)
    page.goto("/projects/1")
    source = page.locator(f".tile img[alt='{PHOTOGRAPH}']").get_attribute("src") or ""
    photo = page.request.get(source.split("?")[0]).body()
    expected = np.asarray(Image.open(io.BytesIO(photo)).convert("RGB").resize((1152, 648)))
    assert np.median(np.abs(rendered - expected)) <= 3


def test_documents_ask_what_shall_come_in(page: Page, tmp_path: Path, photo: np.ndarray) -> None:
    path = tmp_path / "set.ora"
    layers = [RasterLayer(name=name, png=encode_png(photo)) for name in ("Near", "Far")]
    write_openraster(path, (640, 360), layers)
    drawing = tmp_path / "mark.svg"
    drawing.write_text('<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 4 3"/>')
    page.fill("[name=name]", "Documents")
    page.click("text=Start project")
    page.set_input_files("input[type=file]", [path, drawing])
    asking = page.locator(".task[data-state=asking]")
    expect(asking).to_have_count(2)
    first = asking.filter(has_text="set.ora")
    expect(first).to_contain_text("2 layers. Which shall come in?")
    first.locator("[name=part] >> nth=1").uncheck()
    first.locator("button:text('Bring in')").click()
    second = page.locator(".task[data-state=asking]").filter(has_text="mark.svg")
    second.locator("[name=height]").fill("300")
    second.locator("button:text('Bring in')").click()
    expect(page.locator("#pictures .tile")).to_have_count(2)
    expect(page.locator("#pictures")).to_contain_text("400 × 300 px")


def test_a_lost_picture_worker_is_replaced(
    page: Page, stack, photo: np.ndarray, tmp_path: Path
) -> None:  # type: ignore[no-untyped-def]
    """Stopped while a fill runs: the fill is done after the next start, the picture unharmed."""
    big = cv2.resize(photo, (4000, 2250), interpolation=cv2.INTER_CUBIC)
    path = tmp_path / "big.png"
    path.write_bytes(encode_png(big))
    page.fill("[name=name]", "Lost")
    page.click("text=Start project")
    page.set_input_files("input[type=file]", path)
    page.locator("#pictures .tile").get_by_text("Separate", exact=True).click(timeout=60_000)
    page.wait_for_selector(".board[data-ready]")
    board = Board(page)
    edited(page, board, lambda: board.stroke((1500, 1000), (2500, 1400)))
    page.click("[data-tab=plate]")
    page.click("#fill .btn-ink")
    expect(page.locator(".tries [data-state=running]")).to_have_count(1)
    stack.stop("pictures")
    stack.start("pictures")
    expect(page.locator(".tries [data-state=done]")).to_have_count(1, timeout=240_000)
