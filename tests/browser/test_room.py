"""A room from one picture in Chromium: seen live as rendered, marked, its back wall drawn."""

from __future__ import annotations

import math

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import box_of, idle, open_bench, own
from tests.browser.test_work import canvas, change, drag, looks_as_rendered, number, set_number

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

ROOM, HARBOUR = 8, 9


def test_the_room_looks_live_as_rendered(page: Page) -> None:
    """What floor, walls and ceiling catch, from where it was taken and from elsewhere."""
    open_bench(page, own(ROOM), "direct")
    for frame in (0, 80, 143):
        looks_as_rendered(page, frame)
    # The harbour's buoy is a ball, drawn live as a mesh.
    open_bench(page, own(HARBOUR), "direct")
    looks_as_rendered(page, 60)


def test_edges_are_marked_moved_and_taken_away(page: Page) -> None:
    open_bench(page, own(ROOM), "arrange")
    box = canvas(page)

    def at(x: float, y: float) -> tuple[float, float]:
        return box["x"] + x * box["width"], box["y"] + y * box["height"]

    def mark(x0: float, y0: float, x1: float, y1: float) -> None:
        drag(page, *at(x0, y0), (x1 - x0) * box["width"], (y1 - y0) * box["height"])

    page.click("[data-do=mark][data-along=deep]")
    mark(0.12, 0.95, 0.2, 0.87)
    expect(page.locator(".overlay .edge-name")).to_have_text(["D"])
    mark(0.88, 0.95, 0.8, 0.87)
    mark(0.1, 0.1, 0.18, 0.17)
    page.click("[data-do=mark][data-along=across]")
    mark(0.25, 0.9, 0.75, 0.88)
    mark(0.25, 0.2, 0.75, 0.22)
    expect(page.locator("[data-do=mark][data-along=deep] b")).to_have_text("3")
    # Seen straight on, edges across stay parallel: the lens cannot be told from these.
    told = page.locator("#inspector :text-matches('not tell the lens|ask for a lens')")
    expect(told.first).to_be_visible()
    # An end is dragged elsewhere; with Alt its edge goes.
    mark(0.25, 0.2, 0.26, 0.25)
    expect(page.locator(".overlay .edge-name")).to_have_count(5)
    with change(page):
        page.mouse.move(*at(0.88, 0.95))
        page.keyboard.down("Alt")
        page.mouse.down()
        page.mouse.up()
        page.keyboard.up("Alt")
    expect(page.locator(".overlay .edge-name")).to_have_count(4)
    page.keyboard.press("Escape")
    expect(page.locator(".overlay .edge-end")).to_have_count(0)


def test_a_back_wall_is_drawn_and_the_picture_lies_on_the_room(page: Page) -> None:
    open_bench(page, own(ROOM), "arrange")
    count = page.locator(".depth-card").count()
    box = canvas(page)
    page.click("[data-do=back-wall]")
    drag(
        page,
        box["x"] + box["width"] * 0.3,
        box["y"] + box["height"] * 0.3,
        box["width"] * 0.4,
        box["height"] * 0.4,
    )
    expect(page.locator(".depth-card")).to_have_count(count + 5)


def test_a_surface_grows_the_keeper_stands_and_the_frames_are_looked_at(page: Page) -> None:
    open_bench(page, own(ROOM), "arrange")
    count = page.locator(".depth-card").count()
    page.locator(".depth-card", has_text="Floor").click()
    expect(page.locator(".overlay .grow-bar")).to_have_count(3)
    assert page.locator(".overlay .surface-grid").count() > 12
    held = box_of(page.locator(".overlay .grow-bar").nth(2))
    drag(page, held["x"] + held["width"] / 2, held["y"] + held["height"] / 2, 0, -50)
    expect(page.locator(".depth-card")).to_have_count(count + 1)
    expect(page.locator("#layer-name")).to_have_value("Floor top")  # chosen, to be grown on
    page.locator(".depth-card", has_text="Keeper").click()
    with change(page):
        page.locator("button[hx-post$='/stand_on_ground']").first.click()
    assert number(page, "#v-distance") == pytest.approx(4.5, abs=0.05)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Look at all frames").click()
    expect(page.locator("svg.ahead")).to_be_visible(timeout=60_000)
    page.locator("#ahead [data-go]").last.click()
    mapped = page.locator("[data-part=ahead]")
    expect(mapped).to_be_visible(timeout=20_000)
    assert mapped.evaluate("image => image.naturalWidth") == 960
    page.keyboard.press("m")
    expect(mapped).to_be_hidden()
    with change(page):
        page.click("[data-history=undo]")
    expect(page.locator(".ahead-result.stale")).to_be_visible()


def test_a_floor_alone_is_drawn_and_its_edges_move_by_themselves(page: Page) -> None:
    open_bench(page, own(ROOM), "arrange")
    count = page.locator(".depth-card").count()
    box = canvas(page)
    page.click("[data-do=floor]")
    expect(page.locator("[data-part=saying]")).to_contain_text("part of the ground")
    left, top = box["x"] + box["width"] * 0.35, box["y"] + box["height"] * 0.75
    drag(page, left, top, box["width"] * 0.3, box["height"] * 0.15)
    expect(page.locator(".depth-card")).to_have_count(count + 1)
    expect(page.locator("[data-part=saying]")).to_be_hidden()  # with the drawing it went
    expect(page.locator("#layer-name")).to_have_value("Floor 2")
    set_number(page, "#v-surface-height", 3)
    before = number(page, "#v-move_side-metres")
    # Beside the bar in its middle the right edge is taken hold of.
    bar = box_of(page.locator(".overlay .grow-bar").nth(1))
    x, y = bar["x"] + bar["width"] / 2, bar["y"] + bar["height"] / 2
    long = math.hypot(bar["width"], bar["height"])
    drag(page, x + 20 * bar["width"] / long, y + 20 * bar["height"] / long, 15, 0)
    assert number(page, "#v-move_side-metres") > before
    assert number(page, "#v-surface-height") == pytest.approx(3)
    expect(page.locator(".depth-card")).to_have_count(count + 1)


def test_four_corners_and_a_cylinder_are_laid_on_the_picture(page: Page) -> None:
    open_bench(page, own(ROOM), "arrange")
    count = page.locator(".depth-card").count()
    box = canvas(page)
    page.click("[data-do=corners]")
    ends = page.locator(".overlay .edge-end")
    expect(ends).to_have_count(4)
    idle(page)
    corner = box_of(ends.nth(2))
    x, y = corner["x"] + corner["width"] / 2, corner["y"] + corner["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + box["height"] * 0.1, steps=4)
    expect(page.locator(".loupe")).to_be_visible()
    page.mouse.up()
    expect(page.locator(".loupe")).to_be_hidden()
    with change(page):
        page.get_by_role("button", name="standing on the ground").click()
    expect(page.locator(".depth-card")).to_have_count(count + 1)
    expect(page.locator(".overlay .edge-end")).to_have_count(0)
    page.keyboard.press("Escape")  # the plane is chosen; what comes next is of the stage
    page.click("[data-do=body][data-body=cylinder]")
    drag(
        page,
        box["x"] + box["width"] * 0.3,
        box["y"] + box["height"] * 0.66,
        box["width"] * 0.09,
        box["height"] * 0.2,
    )
    expect(page.locator(".depth-card")).to_have_count(count + 2)
