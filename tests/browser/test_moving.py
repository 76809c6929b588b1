"""Pictures that move and stir, as somebody brings them in and sets them."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.conftest import idle, open_bench, own
from tests.browser.test_gallery import choose
from tests.browser.test_laid import soon_as_rendered
from tests.browser.test_stage import type_in
from tests.browser.test_work import canvas, change
from tests.core.test_moving import frames_of, write_clip

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]
DUSK = 1


def test_a_clip_comes_in_and_runs_on_a_card(
    page: Page, rng: np.random.Generator, tmp_path: Path
) -> None:
    clip = write_clip(tmp_path / "drift.mp4", frames_of(36, rng), g="12")
    page.goto("/projects/1")
    idle(page)
    page.set_input_files("#choose-pictures", clip)
    tile = page.locator(".tile", has_text="drift.mp4")
    expect(tile).to_contain_text("moves: 36 frames · 24 fps · 1.5 s", timeout=120_000)
    expect(tile.locator("a:text-is('Prepare')")).to_have_count(0)
    # One of its frames as a picture that can be cut.
    tile.locator("input[name=frame]").fill("30")
    tile.locator("button:text-is('take frame')").click()
    still = page.locator(".tile", has_text="drift, frame 30.png")
    expect(still.locator("a:text-is('Separate')")).to_be_visible(timeout=60_000)
    open_bench(page, own(DUSK), "arrange")
    page.select_option("select[name=picture]", label="drift.mp4")
    with change(page):
        page.click("select[name=picture] + button")
    expect(page.locator("#inspector")).to_contain_text("36 frames, 24 fps")
    soon_as_rendered(page, 0)
    with change(page):
        page.select_option("#v-set_running-ends", "returning")
    type_in(page, "#v-set_running-percent", "50")
    # By hand: the frame that is seen, which has keys.
    with change(page):
        page.check("#inspector [name=stands]")
    type_in(page, "#v-set_running-seen", "20")
    soon_as_rendered(page, 0)
    with change(page):
        page.locator(".pinned[data-value=seen]").click()
    expect(page.locator(".pinned[data-value=seen]")).to_have_attribute("data-state", "here")
    page.fill("#v-set_running-seen", "36")
    page.press("#v-set_running-seen", "Enter")
    expect(page.locator("#inspector .refused")).to_contain_text("has frames 0 to 35")
    # What is no clip says so.
    page.goto("/projects/1")
    idle(page)
    page.set_input_files(
        "#choose-pictures",
        {"name": "cut.mp4", "mimeType": "video/mp4", "buffer": clip.read_bytes()[:300]},
    )
    expect(page.locator(".uploads")).to_contain_text("cut.mp4: the clip is damaged")


def test_numbered_frames_are_one_picture(page: Page, rng: np.random.Generator) -> None:
    files = []
    for n, codes in enumerate(frames_of(12, rng)):
        data = io.BytesIO()
        Image.fromarray(codes).save(data, "PNG")
        files.append({"name": f"wave_{n}.png", "mimeType": "image/png", "buffer": data.getvalue()})
    page.goto("/projects/1")
    idle(page)
    page.click("summary:text-is('Numbered frames as one picture that moves')")
    page.set_input_files("[type=file][name=frame]", files)
    page.fill("[name=frame_rate]", "12")
    page.click("button:text-is('Bring them in')")
    tile = page.locator(".tile", has_text="wave.zip")
    expect(tile).to_contain_text("moves: 12 frames · 12 fps · 1 s", timeout=120_000)
    page.fill("[name=frame_rate]", "25")
    page.click("button:text-is('Bring them in')")
    expect(page.locator("#notice")).to_contain_text("here already, as wave.zip at 12 fps")
    page.set_input_files("[type=file][name=frame]", files[:1])
    page.click("button:text-is('Bring them in')")
    expect(page.locator("#notice")).to_contain_text("One picture does not move")


def test_reeds_bend_a_shore_passes_by_and_both_stand_again(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    choose(page, "reeds")
    page.click("summary:has-text('Sways')")
    with change(page):
        page.click("#inspector button:text-is('bends')")
    expect(page.locator("#v-set_sway-percent")).to_have_value("6")
    type_in(page, "#v-set_sway-percent", "9")
    soon_as_rendered(page, 0)
    with change(page):
        page.click("#inspector button:text-is('Let it stand')")
    with change(page):
        page.click("[data-history=undo]")
    expect(page.locator("#v-set_sway-percent")).to_have_value("9")
    choose(page, "far-shore")
    page.click("summary:has-text('Passes by')")
    with change(page):
        page.check("#inspector [name=drifts]")
    type_in(page, "#v-set_drift-percent", "-4")
    soon_as_rendered(page, 0)
    with change(page):
        page.uncheck("#inspector [name=drifts]")
    # What was ticked by hand follows what is undone.
    with change(page):
        page.click("[data-history=undo]")
    expect(page.locator("#inspector [name=drifts]")).to_be_checked()
    with change(page):
        page.click("[data-history=redo]")
    expect(page.locator("#inspector [name=drifts]")).not_to_be_checked()
    # Several as one wind moves them.
    choose(page, "reeds")
    page.click(".depth-card[data-layer=keeper]", modifiers=["Shift"])
    idle(page)
    page.click("summary:text-is('Sway together')")
    with change(page):
        page.click("#inspector button:has-text('Let all')")
    choose(page, "keeper")
    expect(page.locator("#v-set_sway-percent")).to_have_value("9")


def test_a_layer_is_cloth_in_the_wind_and_none_again(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    choose(page, "keeper")
    page.click("summary:has-text('Cloth')")
    with change(page):
        page.click("#inspector button:text-is('collar')")
    expect(page.locator("#v-set_cloth-wind")).to_have_value("4")
    type_in(page, "#v-set_cloth-wind", "2")
    with change(page):
        page.select_option("#v-set_cloth-before", "headland")
    # A list that has the focus does not keep what was chosen in it from being undone.
    for key, hung in (("Control+z", ""), ("Control+Shift+z", "headland")):
        page.focus("#v-set_cloth-before")
        with change(page):
            page.keyboard.press(key)
        expect(page.locator("#v-set_cloth-before")).to_have_value(hung)
    # As it hangs in every frame, once a worker has found out how.
    for frame in (0, 31, 32):
        soon_as_rendered(page, frame)
    page.fill("#v-set_cloth-wind", "90")
    page.keyboard.press("Enter")
    expect(page.locator("#inspector .refused, .notice-card").first).to_contain_text("at most 60")
    with change(page):
        page.select_option("#v-set_cloth-held", "nowhere")
    expect(page.locator("#inspector")).to_contain_text("Nothing holds it")
    # What holds it is painted: a point on him, in the picture.
    page.click("[data-outline=pin_layer]")
    box = canvas(page)
    page.mouse.click(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.75)
    with change(page):
        page.keyboard.press("Enter")
    expect(page.locator("#inspector")).not_to_contain_text("Nothing holds it")
    expect(page.locator("#inspector")).to_contain_text("Let go of the 1 painted")
    with change(page):
        page.click("#inspector button:text-is('No cloth any more')")
    with change(page):
        page.click("[data-history=undo]")
    expect(page.locator("#v-set_cloth-wind")).to_have_value("2")
