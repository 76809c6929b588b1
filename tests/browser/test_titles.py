"""Titles that come and go in pieces, as somebody sets them on Arrange."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import box_of, open_bench, own
from tests.browser.test_stage import type_in
from tests.browser.test_work import change, looks_as_rendered

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]
DRAWER = 3
TITLE = "sallow-head-1887-1931"


def test_a_title_comes_letter_by_letter_and_goes_live_as_rendered(page: Page) -> None:
    open_bench(page, own(DRAWER), "arrange")
    page.click(f".depth-card[data-layer={TITLE}]")
    # As the demo has it: typed word by word.
    expect(page.locator("#v-arrives-how")).to_have_value("typed")
    looks_as_rendered(page, 40)
    for name, value in (("how", "risen"), ("by", "letter"), ("order", "middle")):
        with change(page):
            page.select_option(f"#v-arrives-{name}", value)
    type_in(page, "#v-arrives-distance", "120")
    looks_as_rendered(page, 34)
    with change(page):
        page.select_option("#v-arrives-how", "unblurred")
    looks_as_rendered(page, 34)
    # Dragged, its slider shows what it would be; let go, that is kept.
    slider = page.locator("#inspector input[type=range][name=overlap]")
    slider.scroll_into_view_if_needed()
    box = box_of(slider)
    page.mouse.move(box["x"] + 6, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + 0.9 * box["width"], box["y"] + box["height"] / 2, steps=5)
    with change(page):
        page.mouse.up()
    assert float(page.locator("#v-arrives-overlap").input_value()) > 80
    with change(page):
        page.select_option("#v-leaves-how", "faded")
    looks_as_rendered(page, 225)
    # It cannot go before it has come: said beside the value, which stays.
    page.fill("#v-leaves-start", "20")
    page.press("#v-leaves-start", "Enter")
    expect(page.locator("#inspector .refused")).to_contain_text("before it has come")
    expect(page.locator("text=It can be read for")).to_be_visible()
    # Timed from the arrival at a framing, it is said so.
    with change(page):
        page.select_option("#v-arrives-framing", "0")
    expect(page.locator("label[for=v-arrives-start]")).to_have_text("After")
    for _ in range(2):
        with change(page):
            page.click("[data-history=undo]")
    expect(page.locator("#v-leaves-how")).to_have_value("none")


def test_a_line_goes_round_a_print_and_is_drawn_on(page: Page) -> None:
    open_bench(page, own(DRAWER), "arrange")
    page.click(".depth-card[data-layer=the-lamp]")
    with change(page):
        page.click("button:text-is('Draw a line round it')")
    # What is made is chosen.
    page.wait_for_selector("#v-set_line-shape")
    type_in(page, "#v-set_line-rough", "40")
    with change(page):
        page.select_option("#v-set_line-shape", "ellipse")
    looks_as_rendered(page, 0)
    with change(page):
        page.click("button:text-is('here')")
    expect(page.locator("form:has(#v-set_line-end) .pinned").first).to_have_attribute(
        "data-state", "here"
    )
    looks_as_rendered(page, 6)
    looks_as_rendered(page, 12)
    # It cannot be thinner than to nothing: said beside the value.
    page.fill("#v-set_line-taper", "300")
    page.press("#v-set_line-taper", "Enter")
    expect(page.locator("#inspector .refused")).to_be_visible()
    for _ in range(4):
        with change(page):
            page.click("[data-history=undo]")
    expect(page.locator(".depth-card")).to_have_count(12)
