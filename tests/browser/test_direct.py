"""The Direct bench in Chromium: rectangles, holds and lengths, eases, cuts, shake, moves."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import box_of, idle, open_bench, own
from tests.browser.test_work import (
    DUSK,
    canvas,
    change,
    drag,
    looks_as_rendered,
    number,
    set_number,
    snapshot,
)

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

LEAF, WATCHER, LAMP = 4, 5, 6


def opened(page: Page, shot: int) -> Page:
    open_bench(page, own(shot), "direct")
    return page


def tab(page: Page, name: str) -> None:
    with page.expect_response(lambda r: f"tab={name}" in r.url):
        page.click(f"[data-tab={name}]")
    idle(page)


def typed(page: Page, field: str, words: str) -> None:
    with change(page):
        page.fill(field, words)
        page.press(field, "Enter")


def choose(page: Page, framing: int) -> None:
    page.locator("[data-part=gate]").focus()
    page.keyboard.press(str(framing))
    expect(page.locator(f".route .stop.chosen[data-framing='{framing - 1}']")).to_have_count(1)
    idle(page)


def grip(page: Page, selector: str) -> tuple[float, float]:
    box = box_of(page.locator(f"{selector} path"))
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_framings_are_drawn_in_the_picture(page: Page) -> None:
    opened(page, LEAF)
    count = page.locator(".route .stop").count()
    page.keyboard.press("w")
    expect(page.locator(".inset-frame")).to_have_count(1)
    page.keyboard.press("e")
    expect(page.locator("[data-do=rectangles]")).to_have_attribute("aria-pressed", "true")
    box = canvas(page)
    middle = (box["x"] + box["width"] * 0.45, box["y"] + box["height"] * 0.45)
    drag(page, *middle, box["width"] * 0.1, box["height"] * 0.1)
    page.keyboard.press("Escape")
    expect(page.locator("[data-do=rectangles]")).to_have_attribute("aria-pressed", "false")
    expect(page.locator(".route .stop")).to_have_count(count + 1)
    expect(page.locator("#framing-name")).to_have_attribute("placeholder", f"Framing {count + 1}")
    # It is held for two seconds of 23.976, and shows a tenth of what was seen.
    assert number(page, "#v-hold_framing-hold") == 48
    wide = snapshot(page, 0)
    at = int(number(page, "#v-time_framing-frame"))
    page.wait_for_selector(
        f".gate[data-shows='{page.locator('#at [name=version]').input_value()}']"
    )
    close = snapshot(page, at)
    patch = wide[243:297, 432:528]
    assert np.abs(close.mean((0, 1)) - patch.mean((0, 1))).max() < 6
    # Copied and pasted behind the first, in order changed, removed by undo.
    page.keyboard.press("Control+c")
    expect(page.locator("#notice")).to_contain_text("Framing copied")
    choose(page, 1)
    with change(page):
        page.keyboard.press("Control+v")
    expect(page.locator(".route .stop")).to_have_count(count + 2)
    page.keyboard.press("w")


def test_a_route_is_retimed(page: Page) -> None:
    opened(page, DUSK)
    choose(page, 1)
    # The end of a hold, then the end of the shot; what follows shifts only if that is asked.
    drag(page, *grip(page, ".edge[data-hold='0']"), 120, 0)
    held = number(page, "#v-hold_framing-hold")
    assert 20 < held < 40
    drag(page, *grip(page, ".edge[data-end]"), -160, 0)
    expect(page.locator(".chip")).not_to_contain_text("8 s")
    assert number(page, "#v-hold_framing-hold") < held
    page.check("#shifts input")
    words = page.locator(".chip").inner_text()
    typed(page, "#v-hold_framing-hold", "2 s")
    assert number(page, "#v-hold_framing-hold") == 48
    assert page.locator(".chip").inner_text() != words
    page.uncheck("#shifts input")
    tab(page, "camera")
    page.select_option("[data-unit]", "seconds")
    expect(page.locator("#v-set_delays-before")).to_have_value("0 s")
    typed(page, "#v-set_delays-before", "12 f")
    expect(page.locator("#v-set_delays-before")).to_have_value("0.5 s")
    typed(page, "#v-stretch", "00:00:06:00")
    expect(page.locator("#v-stretch")).to_have_value("6 s")
    page.fill("#v-stretch", "1 f")
    page.press("#v-stretch", "Enter")
    expect(page.locator(".refused")).to_contain_text("too few for this route")
    page.select_option("[data-unit]", "frames")
    with change(page):
        page.click("text=There and back")
    expect(page.locator(".route .stop")).to_have_count(3)
    # Played backwards, twice as fast, stopped; a range is looped.
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("End")
    page.keyboard.press("j")
    page.keyboard.press("j")
    expect(page.locator("[data-part=counter]")).to_contain_text("backwards 2×")
    page.keyboard.press("k")
    expect(page.locator("[data-do=play]")).to_have_attribute("aria-label", "Play")
    ruler = box_of(page.locator("[data-part=route]"))
    page.keyboard.down("Shift")
    page.mouse.move(ruler["x"] + 78, ruler["y"] + 10)
    page.mouse.down()
    page.mouse.move(ruler["x"] + 110, ruler["y"] + 10, steps=4)
    page.mouse.up()
    page.keyboard.up("Shift")
    expect(page.locator(".route .range")).to_have_count(1)
    # The range is proofed: rendered frames over the live view.
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("q")
    expect(page.locator("[data-part=proof-note]")).to_have_text("proof, half size", timeout=120_000)
    expect(page.locator("[data-part=proof]")).to_be_visible()
    page.keyboard.press("q")
    expect(page.locator("[data-part=proof]")).to_be_hidden()
    page.keyboard.down("Shift")
    page.mouse.click(ruler["x"] + 300, ruler["y"] + 10)
    page.keyboard.up("Shift")
    expect(page.locator(".route .range")).to_have_count(0)
    tab(page, "framing")


def test_an_ease_is_shaped_by_its_peak(page: Page) -> None:
    opened(page, DUSK)
    choose(page, 2)
    with change(page):
        page.select_option("#v-ease", "quart-in-out")
    expect(page.locator("#v-x1")).to_have_count(0)
    with change(page):
        page.select_option("#v-ease", "ease-in-out")
    before = page.locator(".route .hump").get_attribute("d")
    peak = page.locator(".ease .knob").nth(2)
    peak.scroll_into_view_if_needed()
    knob = box_of(peak)
    drag(page, knob["x"] + 4, knob["y"] + 4, 14, -12)
    expect(page.locator("#v-ease")).to_have_value("own")
    expect(page.locator(".ease text").last).to_contain_text("speed at 6")
    assert page.locator(".route .hump").get_attribute("d") != before
    page.fill("[aria-label='Name of a new ease']", "Our late one")
    with change(page):
        page.click("#inspector form button:text-is('Save ease')")
    expect(page.locator("#v-ease option", has_text="Our late one")).to_have_count(1)


def test_a_cut_and_a_dolly_zoom_look_as_rendered(page: Page) -> None:
    opened(page, WATCHER)
    expect(page.locator("[data-part=cameras] button")).to_have_text(["A", "Close", "as cut"])
    if page.locator("[data-do=as-cut]").get_attribute("aria-pressed") == "false":
        page.click("[data-do=as-cut]")
    expect(page.locator("[data-do=as-cut]")).to_have_attribute("aria-pressed", "true")
    idle(page)
    for frame in (20, 110):
        looks_as_rendered(page, frame)
    # The cut is dragged; away from the cut, the directed camera is seen all the way.
    mark = box_of(page.locator(".route .cut line"))
    cut = page.request.get(f"/shots/{own(WATCHER)}/scene.json").json()["cuts"][0]["frame"]
    drag(page, mark["x"], mark["y"] + 8, 90, 0)
    moved = page.request.get(f"/shots/{own(WATCHER)}/scene.json").json()["cuts"][0]["frame"]
    assert moved > cut
    tab(page, "camera")
    with change(page):
        page.click("#inspector .pair.cut button")
    expect(page.locator(".route .cut")).to_have_count(0)
    page.fill("[data-part=scrub]", "50")
    with change(page):
        page.click("[data-part=cameras] [data-camera=b]")
    with change(page):
        page.click("[data-do=cut-fastest]")
    again = page.request.get(f"/shots/{own(WATCHER)}/scene.json").json()["cuts"]
    assert [each["camera"] for each in again] == ["b"] and abs(again[0]["frame"] - cut) <= 2
    tab(page, "framing")

    opened(page, LAMP)
    choose(page, 2)
    assert number(page, "#v-lens") < 40
    expect(page.locator("#v-keep_size-layer")).to_have_value("headland")
    lens = number(page, "#v-lens")
    set_number(page, "#v-set_framing-forward", 0.5)
    assert number(page, "#v-lens") > lens


def test_a_shake_is_covered_and_a_move_taken_from_the_shelf(page: Page) -> None:
    opened(page, DUSK)
    tab(page, "camera")
    with change(page):
        page.click("#inspector button:text-is('Shoulder')")
    set_number(page, "#v-set_shake-turn", 9)
    offer = page.locator("#inspector .watch", has_text="covers them all")
    expect(offer).to_be_visible()
    with change(page):
        offer.locator("text=Enlarge by that").click()
    expect(page.locator("#inspector", has_text="No edge is bared by it")).to_be_visible()
    with change(page):
        page.click("text=Remove the shake")

    tab(page, "moves")
    expect(page.locator(".overlay circle.aim")).to_have_count(1)
    still = snapshot(page, 0)
    page.click("summary:has-text('Push in')")
    page.wait_for_function("() => document.querySelector('.shelf details[open]')")
    idle(page)
    assert np.abs(snapshot(page, 0).astype(int) - still).max() == 0  # only shown so far
    with change(page):
        page.click("details[open] [data-do=use-move]")
    expect(page.locator(".route .stop")).to_have_count(2)
    assert np.abs(snapshot(page, 191).astype(int) - still).mean() > 5
    tab(page, "framing")
    expect(page.locator(".overlay circle.aim")).to_have_count(0)
