"""The Dress bench: lamps added, dragged, coloured, keyed; seen live as they are rendered."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import box_of, idle, open_bench, own
from tests.browser.test_stage import type_in
from tests.browser.test_work import DUSK, change, drag, looks_as_rendered

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

ROOM = 8


def dressed(page: Page, shot: int, kind: str) -> Page:
    """A shot on the bench, with a lamp and what comes with the first."""
    open_bench(page, own(shot), "dress")
    with change(page):
        page.click(f"text=+ {kind}")
    expect(page.locator(".dressing li")).to_have_count(2)
    return page


def test_a_spot_is_added_dragged_and_seen_as_it_is_rendered(page: Page) -> None:
    dressed(page, ROOM, "Spot")
    expect(page.locator(".sheet-plan .lamp.chosen")).to_have_count(1)
    looks_as_rendered(page, 0)
    bulb = box_of(page.locator("[data-part=plan-above] .lamp .bulb"))
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
        page.click(".dressing li:first-child [type=checkbox]")
    expect(page.locator(".sheet-plan .lamp.off")).to_have_count(1)
    with change(page):
        page.click("[data-history=undo]")
    page.locator("[data-part=gate]").focus()
    with change(page):
        page.keyboard.press("Delete")
    expect(page.locator(".dressing li")).to_have_count(1)


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
    page.click("summary:has-text('Light and shadows by layer')")
    with change(page):
        page.locator("[name=layers]").locator("xpath=..").get_by_text("Keeper", exact=True).click()
    looks_as_rendered(page, 191)


def test_motes_fog_and_rays_are_one_press_each_and_live(page: Page) -> None:
    """Added, listed, turned by a value, put in order, alone, undone; seen as it is rendered."""
    open_bench(page, own(ROOM), "dress")
    for words in ("Fog", "Motes", "Rays"):
        with change(page):
            page.click(f"[aria-label^=Add] >> text=+ {words}")
    rows = page.locator(".dressing li")
    expect(rows).to_have_count(3)
    expect(page.locator(".title [name=name]")).to_have_value("Rays")
    type_in(page, "#v-set_dressing-threshold", "35")
    page.click("[data-chooses='particles:d2']")
    expect(page.locator("#inspector")).to_contain_text("are in the air at once")
    type_in(page, "#v-set_dressing-rate", "90")
    page.click("[data-chooses='fog:d1']")
    type_in(page, "#v-set_dressing-visibility", "9")
    # The motes' list row goes up by the keyboard, and is alone for a moment.
    page.locator("[data-of='particles:d2'] .quiet").first.focus()
    with change(page):
        page.keyboard.press("Alt+ArrowUp")
    expect(rows.first).to_have_attribute("data-of", "particles:d2")
    with change(page):
        page.click("[data-of='fog:d1'] .only")
    expect(page.locator("#inspector")).to_contain_text("Only one is on")
    looks_as_rendered(page, 0)
    with change(page):
        page.click("[data-history=undo]")
    for thing in ("rays:d3", "particles:d2"):
        with change(page):
            page.click(f"[data-of='{thing}'] [type=checkbox]")
    looks_as_rendered(page, 60)


def test_a_shaft_rides_is_keyed_and_dragged_and_a_proof_shows_it(page: Page) -> None:
    shot = own(ROOM)
    open_bench(page, shot, "dress")
    with change(page):
        page.click("[aria-label^=Add] >> text=+ Shaft")
    expect(page.locator(".sheet-plan .lamp.chosen")).to_have_count(1)
    page.click("summary:has-text('Opening')")
    was = float(page.locator("#v-set_dressing-x").input_value())
    mark = box_of(page.locator("[data-part=plan-above] .lamp .bulb"))
    drag(page, mark["x"] + mark["width"] / 2, mark["y"] + mark["height"] / 2, 16, 0)
    idle(page)
    assert float(page.locator("#v-set_dressing-x").input_value()) > was + 0.1
    with change(page):
        page.click("form:has(#v-set_dressing-brightness) .pinned")
    expect(page.locator(".rows")).to_contain_text("Brightness")
    frames = [page.request.get(f"/shots/{shot}/motes/{n}.bin") for n in (0, 10**6)]
    assert [each.status for each in frames] == [200, 200]
    page.keyboard.press("Delete")
    idle(page)


def test_a_lamp_throws_shadows_rides_on_a_layer_and_all_is_exposed_for_it(page: Page) -> None:
    dressed(page, ROOM, "Point")
    expect(page.locator("label.tick", has_text="Throws shadows")).to_be_visible()
    with change(page):
        page.select_option("#v-lamp_with_layer-layer", "keeper")
    type_in(page, "#v-set_lamp-brightness", "900")
    page.click("summary:has-text('Exposure')")
    expect(page.locator("#inspector")).to_contain_text("white is clipped")
    with change(page):
        page.click("text=Expose for it")
    assert float(page.locator("#v-set_exposure-stops").input_value()) < -1
    looks = page.locator("text=white is clipped")
    expect(looks).to_have_count(0)


def test_a_spot_throws_a_window_and_what_is_clipped_is_hatched(page: Page) -> None:
    dressed(page, ROOM, "Spot")
    with change(page):
        page.select_option("#v-set_gobo-shape", "window")
    type_in(page, "#v-set_gobo-columns", "3")
    type_in(page, "#v-set_lamp-brightness", "900")
    gate = page.locator("[data-part=gate]")
    idle(page)
    before = gate.screenshot()
    page.click(".view-menu summary")
    page.click("[data-do=clipped]")
    idle(page)
    page.wait_for_timeout(400)
    assert gate.screenshot() != before
    page.reload()
    idle(page)
    expect(page.locator("[data-do=clipped]")).to_have_attribute("aria-pressed", "true")
    page.evaluate("localStorage.removeItem('vistaline-clipped')")


def test_a_shaft_comes_out_of_the_window_that_is_clicked_and_a_slider_turns_it(page: Page) -> None:
    open_bench(page, own(ROOM), "dress")
    with change(page):
        page.click("text=+ Shaft")
    box = box_of(page.locator("[data-part=gate]"))
    page.click("[data-point=point_dressing]")
    with change(page):
        page.mouse.click(box["x"] + 0.12 * box["width"], box["y"] + 0.45 * box["height"])
    # Out of the left wall, to the right.
    page.click("summary:text('Opening')")
    assert -100 < float(page.locator("#v-set_dressing-pan").input_value()) < -80
    page.click("[data-outline=outline_shaft]")
    for x, y in ((0.06, 0.35), (0.11, 0.37), (0.11, 0.6)):
        page.mouse.click(box["x"] + x * box["width"], box["y"] + y * box["height"])
    expect(page.locator(".overlay .edge-end")).to_have_count(3)
    with change(page):
        page.keyboard.press("Enter")
    with change(page):
        page.click("text=A rectangle again")
    slider = page.locator("[data-turns=v-set_dressing-brightness]")
    with change(page):
        slider.focus()
        page.keyboard.press("Home")
    assert float(page.locator("#v-set_dressing-brightness").input_value()) == 0
