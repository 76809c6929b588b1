"""Layouts, callouts, drawn lines, markers, boxes and shots in shots, as somebody sets them."""

from __future__ import annotations

import math

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import box_of, idle, open_bench, own
from tests.browser.test_gallery import choose, middle
from tests.browser.test_stage import type_in
from tests.browser.test_work import canvas, change, drag, looks_as_rendered, number

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]
DUSK, KEEPER, DRAWER = 1, 2, 3


def soon_as_rendered(page: Page, frame: int) -> None:
    """As :func:`looks_as_rendered`, once what the frame needs has been fetched."""
    for _ in range(20):
        try:
            return looks_as_rendered(page, frame)
        except AssertionError:
            page.wait_for_timeout(500)
    return looks_as_rendered(page, frame)


def test_prints_are_laid_out_four_up_and_one_comes_forward(page: Page) -> None:
    open_bench(page, own(DRAWER), "arrange")
    for name in ("sunset", "the-keeper", "the-cottage", "reeds"):
        page.check(f"#several [value={name}]")
    with change(page):
        page.click("#inspector button:text-is('Four up')")
    # The playhead is where all of them are in their places; the first is chosen.
    expect(page.locator("[data-part=counter]")).to_contain_text("frame 30")
    looks_as_rendered(page, 30)
    page.click(".places button:text-is('The cottage')")
    idle(page)
    with change(page):
        page.click("button:text-is('One place earlier')")
    expect(page.locator(".places li").first).to_have_text("The cottage")
    with change(page):
        page.click("button:text-is('Forward from here')")
    expect(page.locator("#inspector")).to_contain_text("It comes forward at 00:00:01:06")
    soon_as_rendered(page, 54)
    # What is too long is said, and nothing changes.
    page.fill("#v-set_layout-coming", "90")
    page.press("#v-set_layout-coming", "Enter")
    expect(page.locator("#inspector .refused")).to_contain_text("take 115 % of the span together")
    with change(page):
        page.click("button:text-is('Take the layout away')")
    expect(page.locator("text=Lay out in the frame").first).to_be_visible()


def test_a_picture_in_a_corner_is_dragged_to_the_safe_area(page: Page) -> None:
    open_bench(page, own(DRAWER), "arrange")
    choose(page, "sunset")
    with change(page):
        page.click("#inspector button:text-is('In a corner')")
    type_in(page, "#v-set_layout-across", "20")
    x, y = middle(page, ".overlay .chosen")
    # By 3.9 % of the frame's width: it is drawn to where its edge is on the safe area, at 29 %.
    wide = canvas(page)["width"]
    drag(page, x, y, 0.088 * wide, 0)
    assert number(page, "#v-set_layout-across") == pytest.approx(29, abs=0.01)
    with change(page):
        page.select_option("#v-set_layout-kind", "part")
    soon_as_rendered(page, 34)


def test_a_picture_makes_room_for_words(page: Page) -> None:
    open_bench(page, own(DRAWER), "arrange")
    choose(page, "the-logbook")
    page.click("summary:text-is('Push it aside for words')")
    page.fill("#inspector [name=text]", "Lamp lit at dusk.\nAll well.")
    with change(page):
        page.click("button:text-is('Free room')")
    for name in ("Ground", "Lamp lit at dusk. All well."):
        expect(page.locator(".depth-card", has_text=name[:12])).to_be_visible()
    # Its window is another shape in each frame of its way; looks come one by one.
    soon_as_rendered(page, 40)


def test_a_point_is_called_out_and_its_label_dragged(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    choose(page, "headland")
    page.fill("#v-callout", "The light")
    page.click("button:text-is('Point at what it names')")
    box = canvas(page)
    with change(page):
        page.mouse.click(box["x"] + 0.755 * box["width"], box["y"] + 0.2 * box["height"])
    # Its label is chosen.
    expect(page.locator("#layer-name")).to_have_value("The light")
    expect(page.locator("#inspector")).to_contain_text("Callout of Headland")
    before = number(page, "#v-set_callout-across")
    x, y = middle(page, ".overlay .chosen")
    drag(page, x, y, -0.05 * box["width"], 0)
    assert number(page, "#v-set_callout-across") == pytest.approx(before - 5, abs=0.3)
    with change(page):
        page.select_option("#v-set_callout-mark", "arrow")
    looks_as_rendered(page, 120)
    with change(page):
        page.click("button:text-is('Remove the callout')")
    expect(page.locator(".depth-card", has_text="The light")).to_have_count(0)


def test_a_stroke_is_drawn_and_a_line_round_a_shape(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    page.click("[data-outline-thing=stroke]")
    expect(page.locator("[data-part=saying]")).to_contain_text("Draw with the button held down")
    box = canvas(page)

    def at(x: float, y: float) -> tuple[float, float]:
        return box["x"] + x * box["width"], box["y"] + y * box["height"]

    page.mouse.move(*at(0.3, 0.2))
    page.mouse.down()
    for n in range(24):
        page.mouse.move(*at(0.3 + 0.01 * n, 0.2 + 0.03 * math.sin(n / 3)))
    with change(page):
        page.mouse.up()
    expect(page.locator("#layer-name")).to_have_value("Stroke")
    looks_as_rendered(page, 0)
    # By the keyboard alone: two points, Enter.
    page.keyboard.press("Escape")
    idle(page)
    page.click("[data-outline-thing=outline]")
    for place in ((0.1, 0.1), (0.2, 0.1), (0.15, 0.3)):
        page.mouse.click(*at(*place))
    with change(page):
        page.keyboard.press("Enter")
    expect(page.locator("#layer-name")).to_have_value("Outline")
    choose(page, "keeper")
    with change(page):
        page.click("button:has-text('Draw a line round its')")
    expect(page.locator("#layer-name")).to_have_value("Line round Keeper")
    looks_as_rendered(page, 90)


def test_a_title_has_a_box_a_style_and_rows_of_a_table(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    with change(page):
        page.click("#inspector button:text-is('Title')")
    page.click("summary:text-is('Box, bend, path')")
    with change(page):
        page.click("button:text-is('Put a box behind it')")
    looks_as_rendered(page, 0)
    page.fill("#inspector [aria-label='Name of a title style']", "Names")
    with change(page):
        page.click("button:text-is('Keep style')")
    expect(page.locator("#v-title-style")).to_have_value("Names")
    with change(page):
        page.click("button:text-is('No box')")
    type_in(page, "#v-bend_title-bend", "50")
    looks_as_rendered(page, 0)
    page.click("summary:text-is('Rows of a table')")
    page.fill("#inspector [name=table]", "Keeper\tDusk\nBoy\tNight")
    with change(page):
        page.click("button:text-is('One after the other')")
    with change(page):
        page.click("[data-history=undo]")
    page.fill("#inspector [name=table]", "x\n" * 9)
    page.click("button:text-is('One after the other')")
    expect(page.locator("#inspector .refused, .notice-card").first).to_contain_text("take 18 s")


def test_markers_are_set_while_it_plays(page: Page) -> None:
    open_bench(page, own(DUSK), "direct")
    page.click("[data-tab=markers]")
    idle(page)
    counter = page.locator("[data-part=counter]")
    begins = counter.text_content() or ""
    page.keyboard.press("Space")
    expect(counter).not_to_have_text(begins)
    marks = page.locator("[data-part=route] .marker")
    # A slow machine may show one frame for a while: pressed until two different ones are marked.
    while marks.count() < 2:
        page.keyboard.press(".")
    with change(page):
        page.keyboard.press("Space")
    expect(page.locator(".marker-list li")).to_have_count(marks.count())
    page.fill(".marker-list li:first-child [name=name]", "the lamp")
    with change(page):
        page.keyboard.press("Tab")
    expect(page.locator(".marker text").first).to_have_text("the lamp")
    page.keyboard.press("Escape")
    page.locator("body").click(position={"x": 640, "y": 10})
    page.keyboard.press("Home")
    page.keyboard.press("PageDown")
    set_at = page.locator(".marker-list [data-go]").evaluate_all(
        "all => all.map((each) => Number(each.dataset.go))"
    )
    expect(counter).to_contain_text(f"frame {min(frame for frame in set_at if frame > 0)} ")
    page.click("summary:text-is('From a text of times')")
    page.fill("#inspector [name=text]", "4 s refrain\nsoon")
    page.click("button:text-is('Set these')")
    expect(page.locator("#inspector .refused, .notice-card").first).to_contain_text("Line 2")


def test_a_shot_runs_in_another(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    page.select_option("[name=shot]", label="Harbour street")
    with change(page):
        page.click("[name=shot] + button")
    expect(page.locator("#inspector")).to_contain_text("144 frames")
    soon_as_rendered(page, 0)
    with change(page):
        page.select_option("#v-set_running-ends", "looped")
    with change(page):
        page.check("#inspector [name=stands]")
    expect(page.locator("#v-set_running-ends")).to_have_count(0)


def test_a_film_is_put_in_order_cut_and_played(page: Page) -> None:
    page.goto("/projects/1/film")
    idle(page)
    pieces = page.locator(".piece-name")
    expect(pieces).to_have_text(["Dusk at Sallow Head", "Four prints", "The log is read"])
    expect(page.locator("[data-part=proof]")).to_be_visible(timeout=30_000)
    # Dragged behind the second, by the keyboard back again.
    first = page.locator("[data-piece=p1]")
    first.scroll_into_view_if_needed()
    box, second = box_of(first), box_of(page.locator("[data-piece=p2]"))
    assert box and second
    drag(page, box["x"] + box["width"] / 3, box["y"] + 50,
         second["x"] + 0.8 * second["width"] - box["x"] - box["width"] / 3, 4)  # fmt: skip
    expect(pieces).to_have_text(["Four prints", "Dusk at Sallow Head", "The log is read"])
    page.locator("[data-piece=p1]").focus()
    with change(page):
        page.keyboard.press("Alt+ArrowLeft")
    expect(pieces.first).to_have_text("Dusk at Sallow Head")
    # Its end is dragged sooner: the film is shorter.
    long = page.locator("[data-part=scrub]").get_attribute("max")
    box = box_of(page.locator("[data-piece=p3]"))
    drag(page, box["x"] + box["width"] - 4, box["y"] + 50, -60, 0)
    idle(page)
    assert int(page.locator("[data-part=scrub]").get_attribute("max") or 0) < int(long or 0)
    page.locator("[data-piece=p3]").click(position={"x": 40, "y": 40})
    idle(page)
    with change(page):
        page.select_option("#f-kind", "wipe")
    page.fill("#f-frames", "900")
    page.press("#f-frames", "Enter")
    expect(page.locator("#inspector .refused, .notice-card").first).to_contain_text(
        "its joins take"
    )
    counter = page.locator("[data-part=counter]")
    page.keyboard.press("Escape")
    before = counter.inner_text()
    page.locator(".top").click(position={"x": 600, "y": 10})
    page.keyboard.press("Space")
    expect(counter).not_to_have_text(before)
    page.keyboard.press("Space")
    while (
        page.locator("[data-history=undo]").is_enabled()
        and page.locator("[data-history=undo][title*='film brought in']").count() == 0
    ):
        with change(page):
            page.click("[data-history=undo]")
    expect(pieces).to_have_text(["Dusk at Sallow Head", "Four prints", "The log is read"])
    page.click("text=Render >> nth=0")
    expect(page.locator("h2").first).to_contain_text("Renders of The light at Sallow Head")
