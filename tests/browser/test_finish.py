"""The Finish panel of Dress: effects on frames and layers, masks, order, tables, scopes, looks."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.conftest import box_of, idle, open_bench, own
from tests.browser.test_stage import type_in
from tests.browser.test_work import DUSK, change, fetched, looks_as_rendered
from vistaline.core.picture.cubes import cube_text, read_cube

HARBOURS = 13
pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]


def finishing(page: Page, shot: int = DUSK) -> None:
    """A shot of one's own on the Finish panel, with all that can be added in sight."""
    open_bench(page, own(shot), "dress")
    page.click("[data-tab=finish]")
    for sort in ("Colour", "Texture", "Softness"):
        page.click(f"details[data-unfolds='Add {sort}'] > summary")


def add(page: Page, effect: str) -> None:
    with change(page):
        page.click(f"text=+ {effect}")


def test_two_tones_are_seen_live_ordered_masked_and_keyed(page: Page) -> None:
    finishing(page)
    add(page, "Two tones")
    add(page, "Vignette")
    expect(page.locator(".dressing li")).to_have_count(2)
    looks_as_rendered(page, 40)
    # Dragged or moved by key, another comes first.
    with change(page):
        page.locator(".dressing li:nth-child(2) .quiet >> nth=0").press("Alt+ArrowUp")
    expect(page.locator(".dressing li:nth-child(1)")).to_contain_text("Vignette")
    page.click("[data-chooses='tones:e1']")
    page.wait_for_selector("#v-set_dressing-contrast")
    type_in(page, "#v-set_dressing-contrast", "130")
    with change(page):
        page.click("form:has(#v-set_dressing-amount) .pinned >> nth=0")
    looks_as_rendered(page, 60)
    # On the keeper only, then where an outline is drawn.
    with change(page):
        page.select_option("#v-set_over-over", "layer:keeper")
    looks_as_rendered(page, 40)
    page.click("details[data-unfolds=Mask] > summary")
    with change(page):
        page.select_option("#v-set_mask-shape", "ellipse")
    expect(page.locator("text=It shows in the proof.")).to_be_visible()
    box = box_of(page.locator("[data-part=gate]"))
    page.click("[data-outline=outline_mask]")
    for x, y in ((0.2, 0.4), (0.6, 0.4), (0.5, 0.8)):
        page.mouse.click(box["x"] + x * box["width"], box["y"] + y * box["height"])
    with change(page):
        page.keyboard.press("Enter")
    expect(page.locator("#v-set_mask-shape")).to_have_value("outline")
    with change(page):
        page.click("[data-history=undo]")
    # Keys that are chosen go first: none are, so the effect goes.
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("Escape")
    page.click("[data-chooses='tones:e1']")
    page.locator("[data-part=gate]").focus()
    with change(page):
        page.keyboard.press("Delete")
    expect(page.locator(".dressing li")).to_have_count(1)


def test_a_mask_and_a_slider_are_turned_and_seen_at_once(page: Page) -> None:
    """A vignette's middle is dragged, its slider turned, a picture laid over: live or rendered."""
    finishing(page)
    add(page, "Vignette")
    cross = box_of(page.locator(".overlay .pivot"))
    at = cross["x"] + cross["width"] / 2, cross["y"] + cross["height"] / 2
    page.mouse.move(*at)
    page.mouse.down()
    page.mouse.move(at[0] + 60, at[1] - 30, steps=4)
    with change(page):
        page.mouse.up()
    page.click("details[data-unfolds=Middle] > summary")
    assert float(page.locator("#v-set_dressing-x").input_value()) > 5
    # While it is turned, what it would make is seen; nothing is kept before it is let go.
    slider = box_of(page.locator("input[type=range][name=strength]"))
    page.mouse.move(slider["x"] + 0.6 * slider["width"], slider["y"] + slider["height"] / 2)
    page.mouse.down()
    page.mouse.move(slider["x"] + 4, slider["y"] + slider["height"] / 2, steps=4)
    told = "() => viewOfDesk().scene.current.record.finish.vignettes[0].strength < 0.3"
    page.evaluate("""async () => {
      const { viewOf } = await import(document.querySelector('script[src*="app.js"]').src
        .replace(/app\\.js.*/, "mount.js"));
      window.viewOfDesk = () => viewOf(document.querySelector('[data-view="Desk"]'));
    }""")
    page.wait_for_function(told)
    with change(page):
        page.mouse.up()
    looks_as_rendered(page, 60)
    add(page, "Own picture")
    with change(page):
        page.select_option("#v-overlay", label="keeper.png")
    expect(page.locator("#v-overlay option:checked")).to_have_text("keeper.png")
    expect(page.locator("text=It shows in the proof.")).to_be_visible()
    add(page, "Match")
    with change(page):
        page.select_option("#v-set_over-over", "layer:keeper")
    with change(page):
        page.select_option("#v-match", label="sky.jpg")
    expect(page.locator("#v-match")).to_contain_text("sky.jpg")


def test_curves_are_drawn_and_values_that_do_not_fit_refused(page: Page) -> None:
    finishing(page)
    add(page, "Curves")
    sheet = page.locator(".curve svg")
    sheet.scroll_into_view_if_needed()
    box = box_of(sheet)
    with change(page):
        page.mouse.click(box["x"] + 0.5 * box["width"], box["y"] + 0.25 * box["height"])
    looks_as_rendered(page, 40)
    add(page, "Levels")
    field = page.locator("#v-set_dressing-black")
    field.fill("99")
    with change(page):
        field.press("Enter")
    white = page.locator("#v-set_dressing-white")
    white.fill("50")
    white.press("Enter")
    expect(page.locator("text=black must lie below white")).to_be_visible()


def test_points_are_picked_in_the_viewfinder(page: Page) -> None:
    finishing(page)
    box = box_of(page.locator("[data-part=gate]"))
    at = box["x"] + 0.3 * box["width"], box["y"] + 0.3 * box["height"]
    add(page, "White balance")
    page.click("[data-point=neutral]")
    with change(page):
        page.mouse.click(*at)
    # An evening's sky is not as white as daylight.
    assert page.locator("#v-set_dressing-kelvin").input_value() != "6504"
    add(page, "Vignette")
    page.click("[data-point=point_effect]")
    with change(page):
        page.mouse.click(*at)
    page.click("details[data-unfolds=Middle] > summary")
    assert float(page.locator("#v-set_dressing-x").input_value()) < -10
    add(page, "Two tones")
    with change(page):
        page.click("text=From the picture's colours")
    assert page.locator("#v-set_dressing-dark").input_value() != "#1f2f3d"


def test_tables_come_in_and_go_out(page: Page, tmp_path: Path) -> None:
    finishing(page)
    table = np.linspace(0, 1, 9)[:, None] ** np.array([0.8, 1.0, 1.3])
    path = tmp_path / "evening.cube"
    path.write_text(cube_text(table, "Evening"))
    with change(page):
        page.set_input_files("input[name=table]", path)
    expect(page.locator(".dressing li")).to_contain_text("Evening")
    looks_as_rendered(page, 40)
    with page.expect_download() as download:
        page.click("a:text('a table (.cube)')")
    out = tmp_path / "out.cube"
    download.value.save_as(out)
    found = read_cube(out.read_text()).table
    assert found[16, 16, 16] == pytest.approx(np.array([0.5**0.8, 0.5, 0.5**1.3]), abs=0.01)
    wrong = tmp_path / "wrong.cube"
    wrong.write_text("LUT_3D_SIZE 256\n")
    page.set_input_files("input[name=table]", wrong)
    expect(page.locator("text=2 to 65 can be read")).to_be_visible()
    expect(page.locator(".dressing li")).to_have_count(1)


def test_scopes_measure_and_a_match_and_a_look_are_put_on_layers(page: Page) -> None:
    finishing(page)
    page.click("details[data-unfolds=Scopes] > summary")
    expect(page.locator("[data-part=scope-words]")).to_contain_text("clipped")
    page.select_option("[name=scope]", "vectors")
    expect(page.locator(".scope rect")).to_have_count(6)
    page.select_option("#v-put-on", "layer:headland")
    add(page, "Match")
    with change(page):
        page.select_option("#v-match", "around")
    expect(page.locator("#v-match")).to_contain_text("what is round it")
    page.click("details[data-unfolds=Keep] > summary")
    page.fill("[name=name][placeholder='its name']", "Evening")
    page.click("button:text-is('Keep')")
    page.click("details[data-unfolds=Looks] > summary")
    page.select_option("#v-put-on", "layer:sea")
    with change(page):
        page.click("button:text('put on')")
    expect(page.locator(".dressing li")).to_have_count(2)
    idle(page)
    page.click("details[data-unfolds=Looks] button:text('remove')")
    expect(page.locator("details[data-unfolds=Looks]")).to_have_count(0)


def test_a_render_has_the_effects(page: Page) -> None:
    """The first frame of the montage as it is delivered is that which the page is sent."""
    number = own(HARBOURS)
    page.goto(f"/shots/{number}/output")
    page.fill("[name=percent]", "50")
    page.check("[value=png]")
    page.fill("[name=last]", "0")
    page.click("button.btn-ink:text('Render')")
    expect(page.locator(".job:first-child[data-state=done]")).to_be_visible(timeout=90_000)
    link = page.locator(".job a:text-is('Download')").first.get_attribute("href") or ""
    delivered = np.asarray(Image.open(io.BytesIO(fetched(page, link))).convert("RGB"))
    data = fetched(page, f"/shots/{number}/frame.png?n=0&width=960")
    sent = np.asarray(Image.open(io.BytesIO(data)).convert("RGB"))
    assert delivered.shape == sent.shape == (540, 960, 3)
    assert np.abs(delivered.astype(int) - sent).max() <= 1
