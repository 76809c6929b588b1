"""What stopped or misled new users, so that it cannot come back."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import box_of, fresh_sheets, idle, open_bench, own
from tests.browser.test_pictures import PHOTOGRAPH, Board, edited, open_picture
from tests.browser.test_work import DUSK, canvas, change, drag, number, set_number

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

AXE = Path(__file__).parents[2] / "node_modules" / "axe-core" / "axe.min.js"
GALLERY = 3


# --- every page, light and dark ------------------------------------------------------------------


@pytest.mark.parametrize("table", ["light", "dark"])
def test_axe_finds_nothing_serious_on_any_page(page: Page, table: str) -> None:
    """WCAG 2.2 A and AA and good practice, by axe-core's rules."""
    page.evaluate("table => localStorage.setItem('vistaline-table', table)", table)
    shot = own(DUSK)
    found = []
    for address in ("/projects", "/projects/1", "/pictures/1/prepare", "/pictures/1/separate",
                    f"/shots/{shot}/arrange", f"/shots/{shot}/direct",
                    f"/shots/{shot}/dress", f"/shots/{shot}/output",
                    "/projects/1/film", "/projects/1/film/output"):  # fmt: skip
        page.goto(address)
        idle(page)
        page.evaluate(AXE.read_text())
        for each in page.evaluate("axe.run()")["violations"]:
            if each["impact"] in ("serious", "critical"):
                found.append((address, each["id"], [node["target"] for node in each["nodes"]]))
    assert found == []


UNTOLD = """() => [...document.querySelectorAll("button, input, select, textarea")]
  .filter((each) => each.checkVisibility() && each.type !== "hidden" && !each.closest("[title]")
    && ![...(each.labels ?? [])].some((label) => label.closest("[title]")))
  .map((each) => each.outerHTML.slice(0, 160))"""


def test_every_control_says_what_it_does(page: Page) -> None:
    """By a tooltip of its own or its label's, on every page and in every panel."""
    shot = own(DUSK)
    missing: dict[str, list[str]] = {}

    def look(where: str) -> None:
        idle(page)
        untold = page.evaluate(UNTOLD)
        if untold:
            missing[where] = untold

    for address in ("/projects", "/projects/1", f"/shots/{shot}/output", "/projects/1/film"):
        page.goto(address)
        look(address)
    page.locator("[data-piece=p3]").focus()
    page.keyboard.press("Enter")
    page.wait_for_selector("#f-kind")
    look("a piece of the film")
    page.goto("/pictures/1/prepare")
    idle(page)
    if page.locator("[data-step-index]").count():
        page.locator("[data-step-index]").first.click()
    look("prepare")
    page.goto("/pictures/1/separate")
    for tab in ("cutout", "plate", "send"):
        idle(page)
        page.click(f"[data-tab={tab}]")
        look(tab)
    open_bench(page, shot, "arrange")
    for part in page.locator("#inspector details").all():
        part.evaluate("part => (part.open = true)")
    look("the stage")
    page.click(".depth-card[data-layer=keeper]")
    look("a layer")
    page.click(".depth-card[data-layer=headland]", modifiers=["Shift"])
    look("two layers")
    open_bench(page, shot, "direct")
    for tab in page.locator("[role=tab]").all():
        tab.click()
        look(tab.inner_text())
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("2")
    look("a framing with its ease")
    open_bench(page, shot, "dress")
    look("no lamps")
    with change(page):
        page.click("text=+ Spot")
    look("a spot")
    assert missing == {}


def test_nothing_overruns_its_panel(page: Page) -> None:
    """At 1280 and, with all of the panel in reach, at 1024 x 700."""
    shot = own(DUSK)
    for width, height in ((1280, 800), (1024, 700)):
        page.set_viewport_size({"width": width, "height": height})
        for address in ("/projects/1", "/pictures/1/separate", f"/shots/{shot}/arrange",
                        f"/shots/{shot}/direct", f"/shots/{shot}/dress",
                        f"/shots/{shot}/output"):  # fmt: skip
            page.goto(address)
            idle(page)
            over = page.evaluate(
                """() => [...document.querySelectorAll('.inspector, .controls, .top')]
                  .filter((each) => each.scrollWidth > each.clientWidth + 1)
                  .map((each) => `${each.className}: ${each.scrollWidth} > ${each.clientWidth}`)"""
            )
            assert over == [], (address, width)
            panel = box_of(page.locator(".inspector"))
            assert panel and panel["x"] + panel["width"] <= width + 1


# --- the keyboard --------------------------------------------------------------------------------


def test_after_a_value_and_after_a_click_the_keys_are_the_desks(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    page.click(".depth-card[data-layer=keeper]")
    idle(page)
    set_number(page, "#v-distance", 2.2)
    page.keyboard.press("ArrowRight")
    expect(page.locator("[data-part=counter]")).to_contain_text("frame 1 of")
    page.click("[data-do=on]")
    expect(page.locator("[data-part=counter]")).to_contain_text("frame 2 of")
    page.keyboard.press("Space")
    expect(page.locator("[data-do=play]")).to_have_attribute("aria-label", "Pause")
    page.keyboard.press("Space")
    # A button that was reached by the keyboard is pressed by it.
    page.focus("[data-do=loop]")
    before = page.locator("[data-do=loop]").get_attribute("aria-pressed")
    page.keyboard.press("Space")
    expect(page.locator("[data-do=loop]")).not_to_have_attribute("aria-pressed", before or "")


def test_the_focus_is_seen_on_every_kind_of_button(page: Page) -> None:
    open_bench(page, own(DUSK), "direct")
    with change(page):
        page.locator("#inspector input[data-step]").first.focus()
        page.keyboard.press("ArrowUp")
    for selector in ("[data-history=undo]", ".btn-ink", "[data-do=on]", "summary.btn", "[role=tab]",
                     "[data-move=pan]", ".play", ".rail a", "[data-part=gate]"):  # fmt: skip
        page.locator(selector).first.focus()
        page.keyboard.press("Shift")  # the focus is the keyboard's
        style = page.evaluate(
            """() => { const s = getComputedStyle(document.activeElement);
                       return [s.outlineStyle, parseFloat(s.outlineWidth)]; }"""
        )
        assert style[0] != "none" and style[1] >= 2, selector


def test_the_view_menu_closes_by_escape_and_by_a_click_outside(page: Page) -> None:
    open_bench(page, own(DUSK), "direct")
    menu = page.locator("details.view-menu")
    page.click("summary:text('View')")
    expect(menu).to_have_attribute("open", "")
    page.keyboard.press("Escape")
    expect(menu).not_to_have_attribute("open", "")
    page.click("summary:text('View')")
    page.click("[data-part=plan-note]", force=True)
    expect(menu).not_to_have_attribute("open", "")


def test_arrow_keys_go_over_tabs_plan_rows_and_knobs(page: Page) -> None:
    shot = own(DUSK)
    open_bench(page, shot, "direct")
    page.focus("[role=tab][aria-selected=true]")
    page.keyboard.press("ArrowRight")
    expect(page.locator("[role=tab][aria-selected=true]")).to_have_text("Keys")
    page.keyboard.press("Home")
    expect(page.locator("[role=tab][aria-selected=true]")).to_have_text("Framing")
    idle(page)
    page.keyboard.press("Escape")
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("2")
    idle(page)
    knob = page.get_by_role("slider", name="Peak of the speed")
    before = knob.get_attribute("aria-valuetext")
    knob.focus()
    with change(page):
        page.keyboard.press("ArrowLeft")
    expect(knob).not_to_have_attribute("aria-valuetext", before or "")
    open_bench(page, shot, "arrange")
    page.click(".depth-card[data-layer=keeper]")
    idle(page)
    page.locator("[data-part=plan-above]").focus()
    with change(page):
        page.keyboard.press("ArrowUp")
    assert number(page, "#v-distance") == pytest.approx(2.05)
    with change(page):
        page.keyboard.press("Shift+ArrowRight")
    # Half a metre, and the little that kept it as it was seen when it went farther.
    assert number(page, "#v-move_layer-across") == pytest.approx(0.5, abs=0.01)


def test_single_letters_can_be_switched_off(page: Page) -> None:
    """WCAG 2.2, success criterion 2.1.4."""
    open_bench(page, own(DUSK), "direct")
    page.keyboard.press("?")
    expect(page.locator("#help h2")).to_be_in_viewport()  # it opens at its top
    page.uncheck("#letters")
    page.keyboard.press("Escape")
    page.keyboard.press("d")
    expect(page.locator("[data-move=truck]")).to_have_attribute("aria-pressed", "true")
    page.evaluate("localStorage.setItem('vistaline-letters', 'on')")
    page.reload()
    idle(page)
    page.keyboard.press("d")
    expect(page.locator("[data-move=dolly]")).to_have_attribute("aria-pressed", "true")


# --- panels --------------------------------------------------------------------------------------


def test_the_panel_stays_where_it_is_when_a_value_changes(page: Page) -> None:
    shot = own(DUSK)
    open_bench(page, shot, "direct")
    page.click("[data-tab=camera]")
    idle(page)
    page.reload()
    idle(page)
    expect(page.locator("[role=tab][aria-selected=true]")).to_have_text("Camera")
    page.evaluate("document.getElementById('inspector').scrollTop = 120")
    set_number(page, "#v-set_opening-strength", 120)
    expect(page.locator("[role=tab][aria-selected=true]")).to_have_text("Camera")
    assert page.evaluate("document.getElementById('inspector').scrollTop") == pytest.approx(
        120, abs=2
    )
    open_bench(page, shot, "arrange")
    page.click(".depth-card[data-layer=keeper]")
    idle(page)
    page.click("summary:has-text('Pivot')")
    set_number(page, "#v-set_opacity-percent", 90)
    expect(page.locator("#v-set_pivot-across")).to_be_visible()
    page.evaluate("document.getElementById('inspector').scrollTop = 200")
    page.click(".depth-card[data-layer=headland]")
    idle(page)
    expect(page.locator("#v-set_pivot-across")).to_be_hidden()
    assert page.evaluate("document.getElementById('inspector').scrollTop") == 0


def test_a_refused_value_goes_back_and_says_why_beside_it(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    page.click(".depth-card[data-layer=keeper]")
    idle(page)
    for field, typed, kept, words in (
        ("#v-set_opacity-percent", "-1", "100", "Opacity must be at least 0; got -1."),
        ("#v-turn_layer-pan", "1e9", "0", "Turn"),
        ("#v-size_layer-percent", "", "100", "Size needs a value"),
    ):
        page.fill(field, typed)
        page.press(field, "Enter")
        idle(page)
        expect(page.locator(field)).to_have_value(kept)
        expect(page.locator(".refused").last).to_contain_text(words)
        assert "Percent" not in page.locator(".refused").last.inner_text()
    open_bench(page, own(DUSK), "direct")
    page.click("[data-tab=camera]")
    page.fill("#v-change_speed-percent", "0")
    page.press("#v-change_speed-percent", "Enter")
    expect(page.locator(".refused")).to_contain_text("Speed must be above 0")


def test_what_is_made_is_chosen_and_a_drag_in_its_box_moves_it(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    with change(page):
        page.click("button:text-is('Title')")
    expect(page.locator("#layer-name")).to_have_value("Title")
    with change(page):
        page.click("#inspector >> text=Duplicate")
    expect(page.locator("#layer-name")).to_have_value("Title copy")
    # The keeper's box reaches where only the headland is seen; a drag there is the keeper's.
    page.click(".depth-card[data-layer=keeper]")
    idle(page)
    box = canvas(page)
    drag(page, box["x"] + 0.6 * box["width"], box["y"] + 0.8 * box["height"], 20, 0)
    expect(page.locator("#layer-name")).to_have_value("Keeper")
    assert number(page, "#v-move_layer-across") > 0.02


# --- a slow line ---------------------------------------------------------------------------------


def test_at_a_second_and_a_half_nothing_typed_is_lost_or_meant_for_another(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    page.click(".depth-card[data-layer=keeper]")
    idle(page)

    def late(route: Route) -> None:
        page.wait_for_timeout(1500)
        route.continue_()

    page.route("**/shots/**", late)
    page.fill("#v-distance", "2.5")
    page.press("#v-distance", "Enter")
    page.fill("#v-move_layer-across", "0.3")
    page.press("#v-move_layer-across", "Enter")
    idle(page)
    assert number(page, "#v-move_layer-across") == pytest.approx(0.3)
    assert number(page, "#v-distance") == pytest.approx(2.5)
    # Until its panel is here the one before does nothing.
    page.click(".depth-card[data-layer=headland]")
    assert page.evaluate("document.getElementById('inspector').inert")
    idle(page)
    expect(page.locator("#layer-name")).to_have_value("Headland")
    assert not page.evaluate("document.getElementById('inspector').inert")
    page.unroute_all(behavior="ignoreErrors")


# --- room on the screen --------------------------------------------------------------------------


def test_panes_are_sized_and_the_viewfinder_enlarged_and_both_remembered(page: Page) -> None:
    shot = own(DUSK)
    open_bench(page, shot, "arrange")
    scrub = box_of(page.locator("[data-part=scrub]"))
    assert scrub and scrub["width"] > 300
    before = canvas(page)
    edge = box_of(page.locator("[data-pane=plan]"))
    page.mouse.move(edge["x"] + 4, edge["y"] + 200)
    page.mouse.down()
    page.mouse.move(edge["x"] + 124, edge["y"] + 200, steps=4)
    page.mouse.up()
    idle(page)
    wider = canvas(page)
    assert wider["width"] > before["width"] + 60
    page.keyboard.press("0")
    idle(page)
    expect(page.locator(".plan")).to_be_hidden()
    assert canvas(page)["width"] > wider["width"]
    page.reload()
    idle(page)
    expect(page.locator(".plan")).to_be_hidden()
    page.keyboard.press("0")
    idle(page)
    assert canvas(page)["width"] == pytest.approx(wider["width"], abs=2)
    page.dblclick("[data-pane=plan]")
    idle(page)
    assert canvas(page)["width"] == pytest.approx(before["width"], abs=2)


@pytest.mark.parametrize("demo", [DUSK, GALLERY])
def test_names_on_the_plan_lie_over_none(page: Page, demo: int) -> None:
    open_bench(page, own(demo), "arrange")
    for showing in ("fit", "near"):
        page.click(f"[data-do={showing}]")
        boxes = page.evaluate(
            """() => [...document.querySelectorAll('[data-part=plan-above] .bar text')]
                 .map((each) => each.getBoundingClientRect())
                 .map((b) => [b.x, b.y, b.right, b.bottom])"""
        )
        assert len(boxes) >= (5 if showing == "fit" else 1)
        for n, (x0, y0, x1, y1) in enumerate(boxes):
            for left, top, right, bottom in boxes[:n]:
                # A pixel of descenders may touch.
                assert x1 <= left + 1 or x0 >= right - 1 or y1 <= top + 3 or y0 >= bottom - 3


def test_notices_are_one_of_a_kind_counted_and_go(page: Page) -> None:
    open_bench(page, own(DUSK), "direct")
    page.evaluate(
        """async () => {
          const { notice } = await import(document.querySelector('script[src*="app.js"]').src
            .replace(/app\\.js.*/, "notice.js"));
          for (let n = 0; n < 3; n++) notice("Copied.", "info");
        }"""
    )
    expect(page.locator(".notice-card")).to_have_count(1)
    expect(page.locator(".notice-card")).to_contain_text("Copied. (3 times)")
    expect(page.locator(".notice-card")).to_have_count(0)


# --- finding one's way ---------------------------------------------------------------------------


def test_all_commands_can_be_searched_and_pressed(page: Page) -> None:
    open_bench(page, own(DUSK), "direct")
    page.keyboard.press("/")
    page.keyboard.type("crane")
    expect(page.locator("#commands li").first).to_contain_text("Crane")
    expect(page.locator("#commands li kbd").first).to_have_text("H")
    page.keyboard.press("Enter")
    expect(page.locator("[data-move=crane]")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("/")
    page.keyboard.type("safe areas")
    page.keyboard.press("Enter")
    expect(page.locator("[data-do=guides]")).to_have_attribute("aria-pressed", "true")
    page.click("[data-commands]")
    page.keyboard.type("no such thing")
    expect(page.locator("#commands .empty")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.locator("#commands")).to_be_hidden()


def test_an_empty_project_says_what_to_do_and_tips_stay_closed(page: Page) -> None:
    page.fill("[name=name]", "Nothing yet")
    page.click("text=Start project")
    expect(page.locator("[data-part=first] li")).to_have_count(3)
    idle(page)
    page.click("text=See how")
    expect(page.locator("#how li")).to_have_count(6)
    page.click("#how button")
    tip = page.locator("[data-tip=pictures]")
    expect(tip).to_be_visible()
    tip.get_by_role("button").click()
    page.click("text=Try with the demo")
    page.wait_for_selector(".tile[data-picture]")
    idle(page)
    expect(tip).to_be_hidden()
    expect(page.locator("[data-part=first]")).to_have_count(0)
    # Ticks are kept from visit to visit.
    page.click("[data-tick=none]")
    page.reload()
    expect(page.locator("[data-part=ticked]")).to_contain_text("0 of")
    page.locator("[name=picture][type=checkbox]").first.check()
    page.reload()
    expect(page.locator("[data-part=ticked]")).to_contain_text("1 of")


# --- the walk of a first clip --------------------------------------------------------------------


class Counted:
    """A hand whose actions are counted: a click, a key, a field typed, a stroke, a drag."""

    def __init__(self, page: Page) -> None:
        self.page, self.actions = page, 0

    def click(self, selector: str) -> None:
        self.actions += 1
        self.page.click(selector)

    def key(self, key: str) -> None:
        self.actions += 1
        self.page.keyboard.press(key)

    def type(self, selector: str, text: str) -> None:
        self.actions += 1
        self.page.fill(selector, text)
        self.page.press(selector, "Enter")

    def did(self) -> None:
        self.actions += 1


def test_a_first_clip_takes_at_most_35_actions(page: Page) -> None:
    """One photograph: cut out, edge, fill, shot, brought forward, two framings with ease, 4 s."""
    fresh_sheets()
    hand = Counted(page)
    hand.did()  # it was brought in: chosen, and dropped
    open_picture(page, PHOTOGRAPH, "Separate")
    hand.did()
    board = Board(page)
    hand.key("5")
    edited(page, board, lambda: board.stroke((1865, 1700), (1870, 1760), (1870, 2200)))
    hand.did()
    hand.click("[data-says=not_this]")
    edited(page, board, lambda: board.stroke((1700, 1650), (1680, 2230), (1700, 2330)))
    hand.did()
    edited(page, board, lambda: board.stroke((2060, 1650), (2200, 2000), (2150, 2240)))
    hand.did()
    hand.click("[data-solves]")
    hand.click("[data-tab=plate]")
    hand.click("#fill .btn-ink")
    expect(page.locator(".tries [data-state=done]")).to_have_count(1, timeout=240_000)
    hand.click("[data-tab=send]")
    hand.type("#new-shot [name=seconds]", "4")
    hand.click("button:text('Send the set')")
    done = page.locator(".task[data-kind=send][data-state=done]")
    expect(done).to_be_visible(timeout=120_000)
    done.get_by_role("link").click()
    hand.did()
    page.wait_for_selector(".gate[data-ready]")
    idle(page)
    hand.click(".depth-card >> nth=0")
    idle(page)
    with change(page):
        hand.type("#v-distance", "1.5")
    hand.click(".rail a:has-text('Direct')")
    page.wait_for_selector(".gate[data-ready]")
    idle(page)
    hand.key("2")
    idle(page)
    hand.key("d")
    box = canvas(page)
    drag(page, box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, 0, -40)
    hand.did()
    with change(page):
        page.select_option("#v-ease", "ease-out")
    hand.did()
    hand.key("Space")
    hand.key("Space")
    hand.click("a:text('Render')")
    idle(page)
    hand.click("button.btn-ink:text('Render')")
    expect(page.locator(".job[data-state=done]")).to_have_count(1, timeout=300_000)
    hand.click("text=Download")
    assert hand.actions <= 35, hand.actions
