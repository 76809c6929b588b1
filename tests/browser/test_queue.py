"""Edits at the speed of keys, an answer that is lost, two windows, and drags that are cut short."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from tests.browser.conftest import Stack, idle, open_bench, own, sign_in
from tests.browser.test_pictures import PHOTOGRAPH, Board, open_picture, version
from tests.browser.test_work import DUSK

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]


def chosen(page: Page) -> None:
    """Choose a layer and wait for its panel."""
    page.locator(".depth [data-layer]").first.click()
    expect(page.locator("#v-distance, #inspector input[name=distance]").first).to_be_visible()


def settled(page: Page) -> int:
    """Return the version once the page is at rest."""
    idle(page)
    return version(page)


@pytest.fixture
def direct(page: Page) -> Iterator[Page]:
    open_bench(page, own(DUSK), "direct")
    yield page
    page.unroute_all()


def rename(page: Page, name: str) -> None:
    page.evaluate(
        """name => { const field = document.getElementById("shot-name"); field.value = name;
           field.dispatchEvent(new Event("change", { bubbles: true })); }""",
        name,
    )


def test_keys_at_typing_speed_are_all_obeyed(direct: Page) -> None:
    """Fifteen edits without waiting, fifteen times Ctrl Z, fifteen times back; none is refused."""
    page = direct
    before = version(page)
    for n in range(15):
        rename(page, f"Dusk {n}")
    assert settled(page) == before + 15
    gate = page.locator("[data-part=gate]")
    gate.focus()
    for _ in range(15):
        page.keyboard.press("Control+z", delay=20)
    settled(page)
    expect(page.locator("#shot-name")).to_have_value(re.compile("Dusk at"))
    expect(page.locator("[data-history=undo]")).to_be_disabled()
    for _ in range(15):
        page.keyboard.press("Control+Shift+z", delay=20)
    settled(page)
    expect(page.locator("#shot-name")).to_have_value("Dusk 14")
    expect(page.locator(".notice-card")).to_have_count(0)


@pytest.mark.parametrize(("pace", "slow"), [(15, 0), (160, 0), (160, 400)])
def test_a_held_arrow_key_counts_every_step(direct: Page, pace: int, slow: int) -> None:
    """Also when each step is kept by itself, and panels that show older values come meanwhile."""
    page = direct
    field = page.locator("#inspector input[data-step]").first
    field.wait_for()
    name, step = field.get_attribute("id"), float(field.get_attribute("data-step") or 1)
    field = page.locator(f"#{name}")
    first = float(field.input_value())
    page.evaluate(
        """slow => { const fetch = window.fetch; window.fetch = async (address, request) => {
             const answer = await fetch(address, request);
             if (request?.method !== "POST") await new Promise((rest) => setTimeout(rest, slow));
             return answer; }; }""",
        slow,
    )
    field.focus()
    for _ in range(20):
        page.keyboard.press("ArrowUp", delay=pace)
    page.wait_for_timeout(3 * slow)  # answers that are held back are known to no page
    settled(page)
    assert float(page.locator(f"#{name}").input_value()) == pytest.approx(
        first + 20 * step, abs=0.01
    )
    expect(page.locator(".notice-card")).to_have_count(0)


def test_an_answer_that_is_lost_is_asked_for_again_and_the_edit_made_once(direct: Page) -> None:
    page = direct
    before = version(page)
    lost: list[str] = []

    def lose(route: Route) -> None:
        lost.append(route.request.headers["x-edit-key"])
        if len(lost) == 1:
            route.fetch()  # it arrives and is made
            route.abort("connectionreset")  # but its answer does not come back
        else:
            route.continue_()

    page.route("**/edits/rename_shot**", lose)
    rename(page, "Told twice")
    expect(page.locator("#at [name=version]")).to_have_value(str(before + 1))
    assert len(lost) == 2 and lost[0] == lost[1]
    assert settled(page) == before + 1
    expect(page.locator("#shot-name")).to_have_value("Told twice")


def test_a_second_window_is_told_and_offered_to_reload(
    direct: Page, browser: Browser, stack: Stack
) -> None:
    other = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=stack.address)
    try:
        sign_in(other)
        open_bench(other, own(DUSK), "direct")
        rename(direct, "From the first window")
        settled(direct)
        rename(other, "From the second")
        card = other.locator(".notice-card")
        expect(card).to_contain_text("was changed in another window")
        with other.expect_navigation():
            card.get_by_role("button", name="Reload").click()
        expect(other.locator("#shot-name")).to_have_value("From the first window")
    finally:
        other.close()


def test_drags_that_are_cut_short_end_well(page: Page) -> None:
    """A stroke: given up by Escape and by the system, kept where the capture or the tab is lost."""
    open_picture(page, PHOTOGRAPH, "Separate")
    board = Board(page)
    page.click("[data-tool=paint]")
    room = page.locator(".board")

    def begin() -> None:
        page.mouse.move(*board.at(300, 300))
        page.mouse.down()
        page.mouse.move(*board.at(500, 360), steps=5)

    before = settled(page)
    begin()
    page.keyboard.press("Escape")
    page.mouse.move(*board.at(600, 500))
    page.mouse.up()
    idle(page)
    assert version(page) == before

    begin()
    room.evaluate("room => room.dispatchEvent(new PointerEvent('pointercancel', { pointerId: 1 }))")
    page.mouse.up()
    idle(page)
    assert version(page) == before

    begin()
    room.evaluate("room => room.releasePointerCapture(1)")
    page.mouse.move(*board.at(520, 380))
    expect(page.locator("#at [name=version]")).not_to_have_value(str(before))
    page.mouse.up()
    after = settled(page)

    begin()
    page.evaluate(
        """() => { Object.defineProperty(document, "hidden", { value: true, configurable: true });
           document.dispatchEvent(new Event("visibilitychange")); delete document.hidden; }"""
    )
    expect(page.locator("#at [name=version]")).not_to_have_value(str(after))
    page.mouse.up()
    settled(page)
