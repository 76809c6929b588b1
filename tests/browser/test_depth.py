"""The Depth tab: painted, seen over the picture and beside it and slanted, worked over, undone."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import idle, open_bench, own
from tests.browser.test_pictures import PHOTOGRAPH, Board, open_picture
from tests.browser.test_work import canvas, change, looks_as_rendered, set_number

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]


PAST = 17


class Depth:
    """The photograph on the Depth tab, without any depth yet."""

    def __init__(self, page: Page) -> None:
        open_picture(page, PHOTOGRAPH, "Separate")
        page.click("[data-tab=depth]")
        idle(page)
        self.page, self.board, self.seen = page, Board(page), ""

    def stroke(self, *points: tuple[float, float]) -> None:
        """Draw through points in shares of the picture's width and height."""
        width, height = 4608, 2592
        self.board.stroke(*((x * width, y * height) for x, y in points))

    def option(self, name: str, value: str) -> None:
        self.page.locator(f"[data-part=depth-options] [name={name}]").fill(value)

    def shown(self) -> None:
        """Wait for another map than was seen before."""
        expect(self.board.room).not_to_have_attribute("data-depth", self.seen)
        idle(self.page)
        self.seen = self.board.room.get_attribute("data-depth") or ""

    def step(self, n: int, name: str):  # type: ignore[no-untyped-def]
        return self.page.locator(f"[data-depth-step='{n}'] [name={name}]")


def test_a_depth_is_painted_seen_three_ways_and_sliced(page: Page) -> None:
    depth = Depth(page)
    expect(page.locator("#depth")).to_contain_text("Paint a few depths")
    page.keyboard.press("2")
    depth.option("value", "5")
    depth.stroke((0.1, 0.1), (0.9, 0.1))
    depth.shown()
    depth.option("value", "95")
    depth.stroke((0.2, 0.95), (0.8, 0.95))
    depth.shown()
    # What was painted can be picked again.
    depth.option("value", "50")
    page.keyboard.down("Alt")
    depth.stroke((0.5, 0.95))
    page.keyboard.up("Alt")
    value = page.locator("[data-part=depth-options] [name=value]")
    assert 90 <= int(value.input_value()) <= 97
    alone = float(depth.board.room.get_attribute("data-scale") or 0)
    page.keyboard.press("v")
    page.keyboard.press("v")
    beside = page.locator("[data-depth-look=beside]")
    expect(beside).to_have_attribute("aria-pressed", "true")
    assert float(depth.board.room.get_attribute("data-scale") or 0) < 0.7 * alone
    page.keyboard.press("v")
    surface = page.locator("canvas.slanted")
    expect(surface).to_have_attribute("data-drawn", "true")
    surface.focus()
    page.keyboard.press("ArrowLeft")
    page.click("[data-depth-look=over]")
    page.click("#depth button:text-is('Smooth')")
    depth.shown()
    depth.step(1, "radius").fill("40")
    page.keyboard.press("Tab")
    depth.shown()
    page.click("[data-history=undo]")
    depth.shown()
    expect(depth.step(1, "radius")).to_have_value("12")
    page.click("button:text-is('Slice the picture by it')")
    expect(page.locator("#cutouts .depth-card[data-cutout^=c]")).to_have_count(3)
    page.click("button:text-is('Remove all steps')")
    expect(page.locator(".notice-card, .refused").first).to_contain_text("Slices are cut by this")


def test_an_area_is_raised_and_a_made_map_comes_in(page: Page) -> None:
    depth = Depth(page)
    page.select_option("#depth [name=file]", label="photograph-depth.png")
    page.click("#depth button:text-is('Use this map')")
    depth.shown()
    # What unfolds does so by Enter, too.
    page.locator("#depth summary").first.focus()
    for unfolded in (1, 0):
        page.keyboard.press("Enter")
        expect(page.locator("#depth details[open]")).to_have_count(unfolded)
    page.locator("[data-part=board]").focus()
    page.keyboard.press("6")
    depth.stroke((0.3, 0.3), (0.5, 0.5))
    depth.shown()
    depth.step(1, "amount").fill("0.6")
    depth.shown()
    depth.step(0, "near").select_option("black")
    depth.shown()
    depth.step(1, "on").uncheck()
    depth.shown()
    # The cutting tools are there again with their tab.
    page.click("[data-tab=cutout]")
    expect(page.locator("[data-tool=paint]")).to_be_visible()
    expect(page.locator(".tools [data-depth-tool=stroke]")).to_be_hidden()


def test_a_depth_is_raised_as_a_relief(page: Page) -> None:
    depth = Depth(page)
    page.select_option("#depth [name=file]", label="photograph-depth.png")
    page.click("#depth button:text-is('Use this map')")
    depth.shown()
    page.uncheck("#depth [name=texture]")
    page.get_by_role("button", name="Raise as a relief").click()
    done = page.locator("#work .task[data-kind=raise] a")
    expect(done).to_be_visible(timeout=180_000)
    done.click()
    page.wait_for_selector(".gate[data-ready]", timeout=180_000)
    idle(page)
    expect(page.locator(".depth-card")).to_have_count(1)


def test_a_relief_looks_live_as_rendered_and_is_laid_flat(page: Page) -> None:
    open_bench(page, own(PAST), "arrange")
    looks_as_rendered(page, 150)
    page.locator(".depth-card", has_text="Bay and head").click()
    idle(page)
    set_number(page, "#v-set_relief-percent", 30)
    looks_as_rendered(page, 150)
    set_number(page, "#v-set_relief-percent", 100)
    # A part of it, drawn in the picture, comes nearer by itself.
    page.click("[data-outline=outline_relief]")
    box = canvas(page)
    for x, y in ((0.3, 0.3), (0.6, 0.3), (0.6, 0.7), (0.3, 0.7)):
        page.mouse.click(box["x"] + box["width"] * x, box["y"] + box["height"] * y)
    with change(page):
        page.keyboard.press("Enter")
    set_number(page, "#v-set_relief_area-percent-1", 35)
    looks_as_rendered(page, 150)
    with change(page):
        page.click("button:text-is('Remove area 1')")
    with change(page):
        page.click("button:text-is('Make it flat')")
    expect(page.locator("#inspector h2", has_text="Relief")).to_have_count(0)
    with change(page):
        page.click("[data-history=undo]")
    expect(page.locator("#inspector h2", has_text="Relief")).to_have_count(1)
