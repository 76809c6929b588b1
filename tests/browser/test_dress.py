"""The Dress bench: lamps added, dragged, coloured, keyed; seen live as they are rendered."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import idle, open_bench, own
from tests.browser.test_stage import type_in
from tests.browser.test_work import DUSK, change, drag, looks_as_rendered

pytestmark = [pytest.mark.browser, pytest.mark.timeout(600)]

ROOM = 8


def dressed(page: Page, shot: int, kind: str) -> Page:
    """A shot on the bench, with a lamp and what comes with the first."""
    open_bench(page, own(shot), "dress")
    with change(page):
        page.click(f"text=+ {kind}")
    expect(page.locator(".lamps li")).to_have_count(2)
    return page


def test_a_spot_is_added_dragged_and_seen_as_it_is_rendered(page: Page) -> None:
    dressed(page, ROOM, "Spot")
    expect(page.locator(".sheet-plan .lamp.chosen")).to_have_count(1)
    looks_as_rendered(page, 0)
    bulb = page.locator("[data-part=plan-above] .lamp .bulb").bounding_box()
    assert bulb
    was = float(page.locator("#v-set_lamp-forward").input_value())
    x, y = bulb["x"] + bulb["width"] / 2, bulb["y"] + bulb["height"] / 2
    drag(page, x, y, 0, -16)
    idle(page)
    assert float(page.locator("#v-set_lamp-forward").input_value()) > was + 0.1
    page.locator("[data-part=plan-above]").focus()
    with change(page):
        page.keyboard.press("ArrowDown")
    for field, value in (("brightness", "180"), ("cone", "70"), ("kelvin", "3200")):
        type_in(page, f"#v-set_lamp-{field}", value)
    looks_as_rendered(page, 60)
    with change(page):
        page.click(".lamps li:first-child [type=checkbox]")
    expect(page.locator(".sheet-plan .lamp.off")).to_have_count(1)
    with change(page):
        page.click("[data-history=undo]")
    page.locator("[data-part=gate]").focus()
    with change(page):
        page.keyboard.press("Delete")
    expect(page.locator(".lamps li")).to_have_count(1)


def test_a_lamp_travels_with_the_camera_and_has_keys(page: Page) -> None:
    dressed(page, DUSK, "Point")
    with change(page):
        page.check("text=Travels with the camera")
    with change(page):
        page.click("form:has(#v-set_lamp-brightness) .pinned")
    expect(page.locator("form:has(#v-set_lamp-brightness) .pinned")).to_have_attribute(
        "data-state", "here"
    )
    page.keyboard.press("End")
    idle(page)
    type_in(page, "#v-set_lamp-brightness", "20")
    expect(page.locator(".rows")).to_contain_text("Brightness")
    looks_as_rendered(page, 191)
    page.click("[data-tab=keys]")
    expect(page.locator("#inspector")).to_contain_text("Lamp")
    page.click("[data-tab=lamps]")
    with change(page):
        page.get_by_role("checkbox", name="Keeper", exact=True).uncheck()
    looks_as_rendered(page, 191)
