"""The Arrange bench in Chromium: titles, fields, spread, ground, swap."""

from __future__ import annotations

import base64
import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import open_bench, own
from tests.browser.test_work import (
    DUSK,
    canvas,
    change,
    drag,
    looks_as_rendered,
)
from vistaline.core.looks.lettering import Title, extents
from vistaline.core.looks.typefaces import FACES, PACKAGES

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]


def choose(page: Page, layer: str) -> None:
    page.click(f".depth-card[data-layer={layer}]")
    page.wait_for_selector(f"#inspector input[name=layer][value='{layer}']", state="attached")


def type_in(page: Page, selector: str, value: str) -> None:
    with change(page):
        page.fill(selector, value)
        page.keyboard.press("Enter")


def distance(page: Page, layer: str) -> float:
    words = page.locator(f".depth-card[data-layer={layer}] .num").inner_text()
    return float(words.removesuffix(" m"))


def test_a_title_stands_round_the_headland(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    with change(page):
        page.click("#inspector button:text-is('Title')")
    choose(page, "title")
    with change(page):
        page.fill("#inspector textarea[name=text]", "Sallow\nHead")
        page.locator("#inspector textarea[name=text]").blur()
    with change(page):
        page.select_option("#v-title-face", "playfair")
    type_in(page, "#v-set_title-spacing", "4")
    with change(page):
        page.select_option("#v-around", "headland")
    names = page.locator(".depth-name")
    expect(names.filter(has_text="Sallow Head outline")).to_have_count(1)
    assert distance(page, "title") > distance(page, "headland")
    looks_as_rendered(page, 30)
    # A text that cannot be set is refused in words, and nothing is lost.
    page.fill("#inspector textarea[name=text]", "灯台")
    page.locator("#inspector textarea[name=text]").blur()
    expect(page.locator("#inspector .refused")).to_contain_text("no sign for “灯”")


def test_a_title_is_drawn_anew_only_when_a_drag_has_ended(page: Page) -> None:
    """Much nearer by a drag: the live view goes on with the look there is, then gets a sharper."""
    open_bench(page, own(DUSK), "arrange")
    with change(page):
        page.click("#inspector button:text-is('Title')")
    open_bench(page, own(DUSK), "direct")
    page.keyboard.press("2")
    page.keyboard.press("d")
    looks: list[str] = []
    page.on(
        "response",
        lambda r: looks.append(r.url) if "/drawn/" in r.url and "copy=" not in r.url else None,
    )
    box = canvas(page)
    drag(page, box["x"] + box["width"] / 2, box["y"] + box["height"] - 20, 0, -box["height"] * 0.7)
    looks_as_rendered(page, 100)
    assert len(looks) == 1


def test_backdrop_card_spread_ground_and_swap(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    with change(page):
        page.click("#inspector button:text-is('Backdrop')")
    page.keyboard.press("Escape")  # what is made is chosen; the next is added to the stage
    page.select_option("[aria-label='Picture to add']", label="glass-plate.jpg")
    with change(page):
        page.click("button:text-is('Add as a card')")
    choose(page, "glass-plate")
    type_in(page, "#v-size_card-width", "0.4")
    type_in(page, "#v-turn_layer-pan", "35")
    with change(page):
        page.select_option("#v-set_stays-stays", "facing")
    with change(page):
        page.select_option("#v-swap", label="photograph.jpg")
    looks_as_rendered(page, 120)
    choose(page, "keeper")
    type_in(page, "#v-match_shift-pixels", "120")
    page.keyboard.press("Escape")
    page.locator(".gate").click(position={"x": 3, "y": 3})
    page.wait_for_selector("#v-horizon")
    type_in(page, "#v-horizon", "900")
    for layer in ("reeds", "headland", "sea"):
        page.check(f"#several [value={layer}]")
    page.fill("#reach [name=near]", "1")
    page.fill("#reach [name=far]", "4")
    with change(page):
        page.click("button:text-is('Spread')")
    assert [distance(page, key) for key in ("reeds", "headland", "sea")] == [1.0, 1.6, 4.0]
    choose(page, "headland")
    with change(page):
        page.locator("button[hx-post$='/stand_on_ground']").first.click()
    stand = page.locator("button[hx-post$='/stand_on_ground']").first
    expect(stand).to_have_attribute("title", re.compile("there it is [0-9.]+ m tall"))


@pytest.mark.parametrize(("face", "weight"), [("bebas", 400), ("courier", 700), ("amiri", 400)])
def test_text_is_as_long_as_chromium_sets_it(page: Page, face: str, weight: int) -> None:
    """Chromium shapes with a HarfBuzz of its own; within half a percent."""
    data = base64.b64encode((PACKAGES / FACES[face].files[weight][0]).read_bytes()).decode()
    texts = (
        ["منارة البحر", "سجل الحارس"] if face == "amiri" else ["The keeper's log", "AVATAR 1887"]
    )
    page.goto("/sign-in")
    measured = page.evaluate(
        """async ([data, texts]) => {
          const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
          const font = new FontFace("measured", bytes.buffer);
          await font.load();
          document.fonts.add(font);
          const context = document.createElement("canvas").getContext("2d");
          context.font = "1000px measured";
          return texts.map((text) => context.measureText(text).width / 1000);
        }""",
        [data, texts],
    )
    ours = [extents(Title(text=text, face=face, weight=weight, size=1))[0] - 0.24 for text in texts]
    assert ours == pytest.approx(measured, rel=0.005)
