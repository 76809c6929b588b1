"""``make screenshots``: draws docs/screenshots anew from the demo, on a stack of its own."""

from __future__ import annotations

import tempfile
from functools import partial
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from tests.browser.conftest import CHROMIUM, FLAGS, idle, open_bench, running_stack, sign_in
from tests.browser.test_pictures import PHOTOGRAPH, PLATE, Board, edited, open_picture
from tests.browser.test_work import canvas, change, drag, set_number

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def take(page: Page, name: str) -> None:
    page.wait_for_timeout(1200)
    page.screenshot(path=FOLDER / f"{name}.png")


def views(page: Page) -> None:
    """Go through the main views."""
    sign_in(page)
    page.wait_for_load_state("networkidle")
    page.goto("/projects/1")
    page.wait_for_load_state("networkidle")
    take(page, "pictures")
    prepare_views(page)
    separate_views(page)
    relief_view(page)
    arrange_views(page)
    open_bench(page, 1, "direct")
    page.keyboard.press("2")
    page.fill("[data-part=scrub]", "48")
    page.click("[data-do=near]")
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(8000)  # until the points of the lens are gathered
    take(page, "direct")
    focus_view(page)
    direct_views(page)
    dress_view(page)
    page.goto("/shots/1/output")
    page.fill("[name=percent]", "50")
    page.fill("[name=last]", "47")
    page.click("button.btn-ink:text('Render')")
    page.wait_for_selector(".job[data-state=done]", timeout=120_000)
    page.fill("[name=percent]", "100")
    page.fill("[name=last]", "191")
    page.click("button.btn-ink:text('Render')")
    page.wait_for_selector(".job[data-state=running] >> text=left", timeout=60_000)
    page.wait_for_selector("#expected .foretold", timeout=60_000)
    take(page, "output")
    page.goto("/shots/3/output")
    page.wait_for_selector("#expected .foretold", timeout=60_000)
    page.check("[name=kind][value=exr]")
    page.click("button.btn-ink:text('Render')")
    page.wait_for_selector(".job")
    page.goto("/renders")
    page.wait_for_timeout(2000)
    take(page, "renders")
    walk_views(page)
    depth_view(page)


def walk_views(page: Page) -> None:
    """From the cut photograph to its first clip: the pictures of docs/using.md."""
    open_picture(page, PHOTOGRAPH, "Separate")
    page.click("[data-tab=send]")
    page.fill("#new-shot [name=name]", "The keeper at his door")
    page.fill("#new-shot [name=seconds]", "4")
    page.click("button:text('Send the set')")
    done = page.locator(".task[data-kind=send][data-state=done]")
    expect(done).to_be_visible(timeout=120_000)
    done.get_by_role("link").click()
    page.wait_for_selector(".gate[data-ready]")
    idle(page)
    page.click(".depth-card >> nth=0")
    idle(page)
    set_number(page, "#v-distance", 1.5)
    take(page, "using-arrange")
    page.click(".rail a:has-text('Direct')")
    page.wait_for_selector(".gate[data-ready]")
    idle(page)
    page.keyboard.press("2")
    idle(page)
    page.keyboard.press("d")
    gate = canvas(page)
    drag(page, gate["x"] + gate["width"] / 2, gate["y"] + gate["height"] / 2, 0, -14)
    with change(page):
        page.select_option("#v-ease", "ease-out")
    take(page, "using-direct")


def arrange_views(page: Page) -> None:
    """Prints laid out in the frame, one of them on its way forward; rooms; the film."""
    open_bench(page, 14, "arrange")
    page.fill("[data-part=scrub]", "76")
    page.click(".depth-card[data-layer=the-keeper]")
    page.wait_for_selector("#v-set_layout-gap")
    page.wait_for_selector(".gate[data-looks=all]", timeout=90_000)
    page.wait_for_timeout(500)
    take(page, "arrange-layout")
    room_views(page)
    page.goto("/projects/1/film")
    page.fill("[data-part=scrub]", "112")  # in the dissolve
    page.locator("[data-piece=p2]").focus()
    page.keyboard.press("Enter")
    page.wait_for_selector("#f-kind")
    page.wait_for_selector("[data-part=proof]:not([hidden])", timeout=60_000)
    page.wait_for_timeout(6000)
    take(page, "film")


def room_views(page: Page) -> None:
    """The lamp room's floor; a look ahead at the harbour's frames."""
    open_bench(page, 8, "arrange")
    page.click(".depth-card[data-layer=floor]")
    page.wait_for_selector("#grow-angle")
    page.locator("#grow-angle").scroll_into_view_if_needed()
    take(page, "arrange-room")
    open_bench(page, 9, "arrange")
    page.click("[data-do=near]")
    page.locator("[data-do=corners]").scroll_into_view_if_needed()
    page.click("#ahead button")
    page.wait_for_selector("svg.ahead", timeout=60_000)
    page.locator("#ahead [data-go]").last.click()
    page.wait_for_selector("[data-part=ahead]:not([hidden])")
    page.locator("svg.ahead").scroll_into_view_if_needed()
    take(page, "arrange-ahead")
    page.keyboard.press("m")


def direct_views(page: Page) -> None:
    """Rows of keys."""
    open_bench(page, 7, "direct")
    page.wait_for_selector(".gate[data-looks=all]", timeout=90_000)
    page.locator(".row-name").nth(0).click()
    page.locator(".row-name").nth(1).click(modifiers=["Shift"])
    page.fill("[data-part=scrub]", "70")
    page.wait_for_load_state("networkidle")
    take(page, "direct-keys")
    page.click("[data-tab=framing]")


def focus_view(page: Page) -> None:
    """What is sharp, what lies before it and behind, while it is being set; by night."""
    page.click("[data-theme-switch]")
    page.click("[data-tab=camera]")
    set_number(page, "#v-set_focus-focus", 2.0)
    page.wait_for_selector(".gate[data-blur=all]", timeout=60_000)
    page.click("[data-point=focus_on_point]")
    page.wait_for_selector(".gate[data-tinted]")
    page.wait_for_timeout(3000)
    take(page, "direct-focus")
    page.keyboard.press("Escape")
    with change(page):
        page.click("[data-history=undo]")
    page.click("[data-tab=framing]")
    page.click("[data-theme-switch]")


def dress_view(page: Page) -> None:
    """Evening in the lamp room: sun through a window, the stove, dust in the air."""
    open_bench(page, 11, "dress")
    page.click("[data-chooses='shaft:window-far']")
    page.wait_for_selector("#v-set_dressing-length")
    idle(page)
    page.wait_for_timeout(1500)  # the particles of the frame, and what is drawn of them
    take(page, "dress")
    page.click("[data-theme-switch]")
    open_bench(page, 13, "dress")
    page.click("[data-tab=finish]")
    page.click("summary:text('Scopes')")
    page.click("[data-chooses='vignette:drawn-in']")
    page.wait_for_selector("#v-set_dressing-strength")
    idle(page)
    page.evaluate("document.getElementById('inspector').scrollTop = 0")
    page.wait_for_timeout(3000)
    take(page, "dress-dark")
    page.click("[data-theme-switch]")


def prepare_views(page: Page) -> None:
    """An old plate, levelled, repaired by brush, its tones brought back."""
    open_picture(page, PLATE, "Prepare")
    page.click("[data-adds=straighten]")
    expect(page.locator("[data-part=hint]")).to_contain_text("Draw a line")
    board = Board(page)
    edited(page, board, lambda: board.stroke((300, 960), (900, 943), (1500, 926)))
    page.click("[data-adds=repair]")
    expect(page.locator("[data-part=hint]")).to_contain_text("Paint over damage")
    page.fill("[data-brush]", "60")
    board = Board(page)
    scratches = (((1230, 140), (1300, 420)), ((1250, 260), (1480, 540)), ((2140, 350), (2260, 630)),
                 ((1650, 230), (1700, 500)), ((1700, 500), (1800, 900)))  # fmt: skip
    for ends in scratches:
        edited(page, board, lambda ends=ends: board.stroke(*ends))  # type: ignore[misc]
    for kind in ("restore", "curves"):
        page.click(f"[data-adds={kind}]")
        page.wait_for_timeout(4000)
    curve = page.locator(".curve svg").bounding_box()
    assert curve is not None
    for x, y in ((0.3, 0.78), (0.68, 0.28)):
        place = (curve["x"] + x * curve["width"], curve["y"] + y * curve["height"])
        edited(page, Board(page), lambda at=place: page.mouse.click(*at))  # type: ignore[misc]
    take(page, "prepare")


def separate_views(page: Page) -> None:
    """The keeper cut from a photograph, and what he hid filled, in two tries."""
    open_picture(page, PHOTOGRAPH, "Separate")
    board = Board(page)
    page.keyboard.press("5")
    page.fill("[name=size]", "30")
    page.keyboard.press("Tab")
    edited(page, board, lambda: board.stroke((1868, 1690), (1870, 1760), (1868, 1880)))
    edited(page, board, lambda: board.stroke((1830, 1920), (1850, 2200)))
    edited(page, board, lambda: board.stroke((1900, 1900), (1910, 2200)))
    edited(page, board, lambda: board.stroke((1945, 1850), (1990, 1960)))
    edited(page, board, lambda: board.stroke((2032, 2030), (2035, 2070)))
    page.click("[data-says=not_this]")
    edited(page, board, lambda: board.stroke((1720, 1620), (1700, 2000), (1720, 2230)))
    edited(page, board, lambda: board.stroke((2000, 1700), (2120, 1900), (2130, 2200)))
    edited(page, board, lambda: board.stroke((1980, 2100), (1990, 2230)))
    edited(page, board, lambda: board.stroke((1720, 2370), (2060, 2380)))
    page.fill(".title [name=name]", "Keeper")
    edited(page, board, lambda: page.keyboard.press("Enter"))
    take(page, "separate")
    page.click("[data-solves]")
    page.click("[data-tab=plate]")
    page.click("#fill .btn-ink")
    expect(page.locator(".tries [data-state=done]")).to_have_count(1, timeout=120_000)
    # The second try takes nothing from the hill.
    page.click("#plate [data-tool=avoid]")
    page.fill("[name=size]", "700")
    page.keyboard.press("Tab")
    board.stroke((2450, 2150), (3600, 1900), (4300, 2100))
    board.stroke((300, 2450), (2300, 2560))
    page.click("#fill .btn-ink")
    expect(page.locator(".tries [data-state=done]")).to_have_count(2, timeout=120_000)
    edited(page, board, lambda: page.click(".tries li:nth-child(2) .look"))
    page.fill("[name=size]", "60")
    page.keyboard.press("Tab")
    page.click("[data-look=cut]")
    page.click("[data-ground=plate]")
    page.keyboard.press("4")
    expect(page.locator("[data-part=care]")).to_have_text("edge solved", timeout=60_000)
    page.keyboard.press("0")
    page.click("[data-cutout='']")
    page.click("[data-tab=plate]")
    page.wait_for_timeout(3000)
    take(page, "separate-plate")


def relief_view(page: Page) -> None:
    """The head as a relief, the camera on its way past it."""
    open_bench(page, 17, "arrange")
    page.fill("[data-part=scrub]", "120")
    page.click(".depth-card[data-layer=bay-and-head]")
    page.wait_for_selector("#v-set_relief-percent")
    page.locator("#v-set_relief-far").scroll_into_view_if_needed()
    idle(page)
    page.wait_for_timeout(1500)
    take(page, "arrange")


def depth_view(page: Page) -> None:
    """The same photograph's depth, painted by a few strokes, as a surface."""
    open_picture(page, PHOTOGRAPH, "Separate")
    board = Board(page)
    page.click("[data-tab=depth]")
    idle(page)
    for value, *points in (
        (2, (300, 300), (4200, 250)),
        (12, (200, 1330), (1900, 1300)),
        (28, (2700, 1750), (4300, 1500)),
        (26, (3330, 800), (3330, 1300)),
        (66, (1200, 2500), (2800, 2480)),
        (60, (1880, 1750), (1900, 2150)),
        (96, (120, 2300), (900, 2500)),
        (94, (3800, 2250), (4450, 2450)),
    ):
        page.locator("[data-part=depth-options] [name=value]").fill(str(value))
        edited(page, board, partial(board.stroke, *points))
    page.click("[data-depth-look=slanted]")
    page.wait_for_timeout(2000)
    take(page, "separate-depth")


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder, running_stack(Path(folder)) as stack:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=stack.address)
            views(page)
            browser.close()


if __name__ == "__main__":
    main()
