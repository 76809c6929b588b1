"""Keys in Chromium: rows under the route, pins beside values, auto-key, several at once."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import box_of, idle, open_bench, own
from tests.browser.test_work import (
    canvas,
    change,
    drag,
    looks_as_rendered,
    number,
    set_number,
)

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

TURNS = 7


@pytest.fixture
def direct(page: Page) -> Iterator[Page]:
    open_bench(page, own(TURNS), "direct")
    yield page


def scrub(page: Page, frame: int) -> None:
    page.evaluate(
        """(frame) => {
          const scrub = document.querySelector("[data-part=scrub]");
          scrub.value = frame;
          scrub.dispatchEvent(new Event("input", { bubbles: true }));
        }""",
        frame,
    )
    idle(page)


def pin(page: Page, row: int, key: int) -> tuple[float, float]:
    """Where a pin's head is; rows and keys counted from 0."""
    circles = page.locator(".rows svg").evaluate(
        """(sheet, row) => [...sheet.querySelectorAll(".key")]
          .map((key) => key.querySelector("circle").getBoundingClientRect())
          .filter((box) => Math.floor((box.y + 4 - sheet.getBoundingClientRect().y) / 30) === row)
          .map((box) => [box.x + box.width / 2, box.y + box.height / 2])""",
        row,
    )
    x, y = circles[key]
    return x, y


def titles(page: Page, row: int) -> list[str]:
    """What the pins of a row say: their values and frames."""
    name = page.locator(".row-name title").nth(row).text_content() or ""
    thing, value = name.split(". ")[0].split(": ")
    said = page.locator(".rows .key title").all_text_contents()
    return [words.split(": ")[1] for words in said if words.startswith(f"{thing}, {value.lower()}")]


def test_what_has_keys_looks_live_as_rendered(page: Page) -> None:
    """Turned, paler, with another text in another colour."""
    open_bench(page, own(TURNS), "direct")
    page.wait_for_selector(".gate[data-looks=all]", timeout=180_000)
    for frame in (0, 84, 130):
        looks_as_rendered(page, frame)


def test_pins_are_dragged_stretched_swept_copied_and_removed(direct: Page) -> None:
    page = direct
    assert titles(page, 0) == [
        "100 % at frame 0", "12 % at frame 56", "100 % at frame 112", "12 % at frame 167"
    ]  # fmt: skip
    step = page.locator(".rows svg").evaluate("sheet => (sheet.clientWidth - 156) / 167")
    x, y = pin(page, 0, 1)
    drag(page, x, y, 10 * step, 0)
    assert titles(page, 0)[1] == "12 % at frame 66"
    expect(page.locator("#inspector h2").first).to_contain_text("1 key of Beam · opacity")
    assert number(page, "#v-move_keys-to") == 66

    # Swept over, both rows' middle keys are chosen; with Alt they are stretched together.
    left, top = pin(page, 0, 1)
    right, low = pin(page, 1, 2)
    page.mouse.move(left - 60, top - 22)
    page.mouse.down()
    page.mouse.move(right + 25, low + 3, steps=5)
    page.mouse.up()
    expect(page.locator("#inspector h2").first).to_contain_text("keys of 2 rows")
    chosen = page.locator(".rows .key.chosen").count()
    assert chosen == 4
    page.keyboard.down("Alt")
    drag(page, *pin(page, 0, 2), 14 * step, 0)
    page.keyboard.up("Alt")
    frames = [int(words.split()[-1]) for words in titles(page, 0)]
    assert frames[2] == 126 and 66 <= frames[1] < 72

    # Copied, and pasted on another layer at the playhead.
    page.keyboard.press("Control+c")
    scrub(page, 20)
    page.select_option("#v-key-of", "layer:sea")
    page.select_option("#v-key-value", "opacity")
    with change(page):
        page.click("[data-do=paste-keys-onto]")
    names = page.locator(".row-name text").all_text_contents()
    assert "Sea" in names
    # Removed, all that is chosen at once.
    count = page.locator(".rows .key").count()
    with change(page):
        page.keyboard.press("Delete")
    expect(page.locator(".rows .key")).to_have_count(count - chosen)


def test_an_ease_is_set_for_several_rows_at_once(direct: Page) -> None:
    page = direct
    page.locator(".row-name").nth(0).click()
    page.locator(".row-name").nth(1).click(modifiers=["Shift"])
    expect(page.locator("#inspector h2").first).to_contain_text("8 keys of 2 rows")
    with change(page):
        page.click("#inspector .presets button:text-is('stop')")
    expect(page.locator("#v-ease")).to_have_value("cubic-in")
    knob = box_of(page.locator(".ease .knob").last)
    drag(page, knob["x"] + 5, knob["y"] + 5, -40, 0)
    expect(page.locator("#v-ease")).to_have_value("own")
    expect(page.locator(".ease .other")).to_have_count(0)  # one ease for both rows
    with change(page):
        page.fill("#v-stretch_keys-percent", "50")
        page.press("#v-stretch_keys-percent", "Enter")
    assert titles(page, 0)[-1] == "12 % at frame 84"
    page.fill("#v-move_keys-to", "120")
    page.press("#v-move_keys-to", "Enter")
    expect(page.locator("#inspector .refused")).to_contain_text("never be reached")


def test_values_have_pins_and_auto_key_sets_them(page: Page) -> None:
    open_bench(page, own(TURNS), "arrange")
    page.click(".depth-card[data-layer=headland]")
    across = ".pinned[data-value=across]"
    expect(page.locator(across)).to_have_attribute("data-state", "none")
    scrub(page, 60)
    page.keyboard.press("y")
    expect(page.locator(".overlay .keying-note")).to_have_count(1)
    set_number(page, "#v-move_layer-across", 0.5)
    expect(page.locator(across)).to_have_attribute("data-state", "here")
    scrub(page, 0)
    expect(page.locator("#v-move_layer-across")).to_have_value("0")
    scrub(page, 30)
    expect(page.locator(across)).to_have_attribute("data-state", "some")
    assert 0.2 < number(page, "#v-move_layer-across") < 0.3
    # Dragged in the picture it is keyed, too, and goes where the pointer goes.
    box = canvas(page)
    drag(page, box["x"] + box["width"] * 0.75, box["y"] + box["height"] * 0.75, 30, 0)
    expect(page.locator(across)).to_have_attribute("data-state", "here")
    # Without auto-key a change between keys moves the whole.
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("y")
    before = number(page, "#v-move_layer-across")
    scrub(page, 45)
    set_number(page, "#v-move_layer-across", number(page, "#v-move_layer-across") + 0.1)
    scrub(page, 30)
    assert number(page, "#v-move_layer-across") == pytest.approx(before + 0.1, abs=0.002)
    with change(page):
        page.click(across)
    expect(page.locator(across)).to_have_attribute("data-state", "some")


def test_the_last_version_is_seen_beside_this_one(direct: Page) -> None:
    page = direct
    page.keyboard.press("u")
    expect(page.locator(".notice-card")).to_contain_text("no version before this one")
    page.click("[data-dismiss]")
    page.click("[data-tab=framing]")
    set_number(page, "#v-set_framing-across", 0.2)
    page.keyboard.press("Escape")
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("u")
    expect(page.locator(".overlay .said").last).to_have_text("before")
    page.keyboard.press("u")
    expect(page.locator(".overlay .said")).to_have_count(0)


def test_the_crane_rises_and_swings(direct: Page) -> None:
    page = direct
    page.click("[data-tab=framing]")
    page.keyboard.press("h")
    box = canvas(page)
    drag(page, box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, 0, 60)
    assert number(page, "#v-set_framing-up") > 0.05
    assert number(page, "#v-set_framing-tilt") == 0
