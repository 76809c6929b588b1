"""Focus on the Direct bench: clicked, racked, dragged on the plan, by keys; and the shutter."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import box_of, idle, open_bench, own
from tests.browser.test_direct import tab
from tests.browser.test_work import DUSK, change, drag, fetched, looks_as_rendered

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

FOCUS = "#v-set_focus-focus"


def focused(page: Page) -> Page:
    open_bench(page, own(DUSK), "direct")
    tab(page, "camera")
    sharp = page.get_by_label("Everything sharp")
    if sharp.is_checked():
        with change(page):
            sharp.uncheck()
    expect(page.locator(FOCUS)).to_be_visible()
    idle(page)
    return page


def click_in(page: Page, across: float, down: float) -> None:
    box = box_of(page.locator("[data-part=canvas]"))
    with change(page):
        page.mouse.click(box["x"] + box["width"] * across, box["y"] + box["height"] * down)
    idle(page)


def distance(page: Page) -> float:
    return float(page.locator(FOCUS).input_value())


def test_a_click_focuses_and_the_plan_shows_it_and_is_dragged(page: Page) -> None:
    focused(page)
    page.click("[data-point=focus_on_point]")
    expect(page.locator(".gate[data-tinted]")).to_be_visible()
    click_in(page, 0.3, 0.15)
    expect(page.locator(".gate[data-tinted]")).to_have_count(0)
    far = distance(page)
    page.click("[data-point=focus_on_point]")
    click_in(page, 0.5, 0.97)
    near = distance(page)
    assert near < far - 1
    line = page.locator("[data-part=plan-above] [role=slider][data-focus]")
    expect(line).to_have_attribute("aria-valuetext", f"{near:.2f} m in focus")
    words = page.locator("[data-part=plan-above] [data-focus] text")
    box = box_of(words)
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    drag(page, x, y, 0, -40)
    idle(page)
    assert distance(page) > near + 0.05
    was = distance(page)
    line.focus()
    with change(page):
        page.keyboard.press("ArrowUp")
    idle(page)
    assert distance(page) == pytest.approx(was + 0.05, abs=0.002)


def test_a_rack_and_keys_of_the_opening_and_the_shutter(page: Page) -> None:
    focused(page)
    page.keyboard.press("Home")
    page.click("[data-point=rack_focus]")
    click_in(page, 0.3, 0.15)
    expect(page.locator(f"form:has({FOCUS}) .pinned")).to_have_attribute("data-state", "here")
    with change(page):
        page.click("form:has(#v-f-number) .pinned")
    idle(page)
    page.keyboard.press("End")
    idle(page)
    with change(page):
        page.fill("#v-f-number", "8")
        page.press("#v-f-number", "Enter")
    idle(page)
    expect(page.locator("form:has(#v-f-number) .pinned")).to_have_attribute("data-state", "some")
    with change(page):
        page.get_by_label("Motion blur").check()
    idle(page)
    with change(page):
        page.click("text=270°")
    idle(page)
    expect(page.locator("#v-set_shutter-angle")).to_have_value("270")
    expect(page.locator("#v-set_shutter-phase")).to_have_value("-135")


def test_the_live_view_is_blurred_as_the_render_is(page: Page) -> None:
    focused(page)
    for field, value in ((FOCUS, "1.2"), ("#v-f-number", "2.2")):
        with change(page):
            page.fill(field, value)
            page.press(field, "Enter")
        idle(page)
    page.wait_for_selector(".gate[data-blur=all]")
    looks_as_rendered(page, 40, least=0.985)
    looks_as_rendered(page, 40, least=0.99, gathered=True)
    page.wait_for_selector(".gate[data-gathered]")
    with change(page):
        page.fill(FOCUS, "9")
        page.press(FOCUS, "Enter")
    idle(page)
    page.wait_for_selector(".gate[data-blur=all]")
    looks_as_rendered(page, 40, least=0.985)


def test_focus_and_shutter_are_proofed_and_rendered(page: Page) -> None:
    focused(page)
    shot = f"/shots/{own(DUSK)}"
    sharp = fetched(page, f"{shot}/frame.png?n=96&width=480")
    for field, value in ((FOCUS, "1.2"), ("#v-f-number", "1.4")):
        with change(page):
            page.fill(field, value)
            page.press(field, "Enter")
        idle(page)
    blurred = fetched(page, f"{shot}/frame.png?n=96&width=480")
    with change(page):
        page.get_by_label("Motion blur").check()
    idle(page)
    moved = fetched(page, f"{shot}/frame.png?n=96&width=480")
    assert len({sharp, blurred, moved}) == 3
    assert len(blurred) < len(sharp)  # with less detail a PNG is smaller
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("q")
    expect(page.locator("[data-part=proof]")).to_be_visible(timeout=60_000)
    page.goto(f"{shot}/output")
    expect(page.locator("#wait-draft")).to_contain_text("s a frame", timeout=120_000)
    page.check("[value=final]")
    for name, value in (("percent", "25"), ("first", "95"), ("last", "96")):
        page.fill(f"[name={name}]", value)
    page.click("button.btn-ink:text('Render')")
    expect(page.locator(".job[data-state=done]").first).to_be_visible(timeout=90_000)
