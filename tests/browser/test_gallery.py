"""The Arrange bench in Chromium: mounts, groups, frames, mattes, handles, plan, clipboard."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import open_bench, own
from tests.browser.test_stage import choose, distance, type_in
from tests.browser.test_work import (
    DUSK,
    canvas,
    change,
    drag,
    looks_as_rendered,
    number,
    snapshot,
)
from vistaline.core.looks.typefaces import FACES, PACKAGES

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

GALLERY = 3


@pytest.fixture
def gallery(page: Page) -> Page:
    open_bench(page, own(GALLERY), "arrange")
    return page


@pytest.fixture
def dusk(page: Page) -> Page:
    open_bench(page, own(DUSK), "arrange")
    return page


def middle(page: Page, selector: str) -> tuple[float, float]:
    # Marks stand where the version that is in sight has them.
    version = page.locator("#at [name=version]").input_value()
    page.wait_for_selector(f".gate[data-shows='{version}']", state="attached")
    # In one go: what is marked over the picture is drawn anew at any time.
    x, y = page.locator(selector).first.evaluate(
        """(element) => {
          const box = element.getBoundingClientRect();
          return [box.x + box.width / 2, box.y + box.height / 2];
        }"""
    )
    return x, y


def outline(page: Page) -> list[float]:
    """The corners of the chosen layer, in pixels."""
    points = page.locator(".overlay .chosen").get_attribute("points") or ""
    return [float(value) for value in points.replace(",", " ").split()]


def test_frames_and_shadows_look_as_rendered(gallery: Page) -> None:
    """The shadows lie on the wall, on the title and on other prints; at two frames of the move."""
    looks_as_rendered(gallery, 0)
    looks_as_rendered(gallery, 200)
    choose(gallery, "the-lamp")
    type_in(gallery, "#v-set_frame_style-border", "14")
    type_in(gallery, "#v-set_frame_style-mat", "6")
    type_in(gallery, "#v-set_frame_style-softness", "60")
    type_in(gallery, "#v-turn_layer-pan", "35")
    looks_as_rendered(gallery, 100)


def test_a_layer_rides_on_a_mount_and_off_again_where_it_is_seen(gallery: Page) -> None:
    before = snapshot(gallery, 0)
    gallery.click("[data-chooses='group:Prints']")
    gallery.wait_for_selector("#inspector :text('arranged as one')")
    with change(gallery):
        gallery.click("button:text-is('Put on a new mount')")
    assert abs(snapshot(gallery, 0).astype(int) - before).max() <= 2
    x, y = middle(gallery, ".mount path")
    drag(gallery, x, y, 40, 30)
    gallery.wait_for_selector("#v-set_mount-pan")
    type_in(gallery, "#v-set_mount-pan", "12")
    moved = snapshot(gallery, 0)
    assert abs(moved.astype(int) - before).mean() > 5
    looks_as_rendered(gallery, 0)
    # Only where it is, not how it is turned; then off. Neither is seen.
    choose(gallery, "the-keeper")
    with change(gallery):
        gallery.uncheck(".follow [value=rotation]")
    with change(gallery):
        gallery.click("button:text-is('Ride off')")
    assert abs(snapshot(gallery, 0).astype(int) - moved).max() <= 2


def test_a_mount_that_would_ride_on_itself_is_refused_in_words(gallery: Page) -> None:
    for _ in range(2):
        gallery.keyboard.press("Escape")
        gallery.wait_for_selector("button:text-is('Mount')")
        with change(gallery):
            gallery.click("button:text-is('Mount')")
    for name, other in (("Mount 1", "m2"), ("Mount 2", "m1")):
        gallery.keyboard.press("Escape")
        gallery.click(f".names button:text-is('{name}')")
        gallery.wait_for_selector(f"#inspector input[value='{name}']")
        if other == "m2":
            with change(gallery):
                gallery.select_option("#v-ride", other)
        else:
            gallery.select_option("#v-ride", other)
    expect(gallery.locator(".notice-card")).to_contain_text("Mount 2 cannot ride on Mount 1, which")


def test_a_group_is_folded_dragged_as_one_and_dimmed_around(gallery: Page) -> None:
    gallery.click("[data-fold=Prints]")
    expect(gallery.locator(".depth-card")).to_have_count(5)
    box = canvas(gallery)
    gallery.mouse.click(box["x"] + 0.84 * box["width"], box["y"] + 0.25 * box["height"])
    expect(gallery.locator("#inspector")).to_contain_text("8 layers that are arranged as one")
    gallery.keyboard.press("i")
    expect(gallery.locator("[data-do=dim]")).to_have_attribute("aria-pressed", "true")
    gallery.keyboard.press("i")
    before = [gallery.locator(".overlay .chosen").nth(n).get_attribute("points") for n in (0, 5)]
    at = box["x"] + 0.84 * box["width"], box["y"] + 0.25 * box["height"]
    drag(gallery, *at, -60, 20)
    after = [gallery.locator(".overlay .chosen").nth(n).get_attribute("points") for n in (0, 5)]
    assert all(one != other for one, other in zip(before, after, strict=True))
    gallery.click("[data-fold=Prints]")
    expect(gallery.locator(".depth-card")).to_have_count(12)


def test_a_matte_and_an_occluder_look_as_rendered(dusk: Page) -> None:
    choose(dusk, "sea")
    with change(dusk):
        dusk.select_option("#v-set_matte-of", "headland")
    with change(dusk):
        dusk.select_option("#v-set_matte-keep", "outside")
    with change(dusk):
        dusk.select_option("#v-set_matte-by", "lightness")
    looks_as_rendered(dusk, 60)
    dusk.keyboard.press("Escape")
    with change(dusk):
        dusk.click("button:text-is('Window')")
    choose(dusk, "window")
    type_in(dusk, "#v-set_occluder-bars", "1")
    looks_as_rendered(dusk, 60)


def test_handles_size_roll_and_set_the_pivot(gallery: Page) -> None:
    choose(gallery, "the-lamp")
    width = number(gallery, "#v-size_card-width")
    x, y = middle(gallery, ".overlay rect.hold >> nth=1")
    px, py = middle(gallery, ".overlay .pivot")
    drag(gallery, x, y, (x - px) / 2, (y - py) / 2)
    assert number(gallery, "#v-size_card-width") == pytest.approx(1.5 * width, rel=0.03)
    drag(gallery, *middle(gallery, ".overlay .pivot"), 30, -20)
    before = snapshot(gallery, 0)
    expect(gallery.locator("summary:has-text('Pivot')")).not_to_contain_text("0, 0 %")
    x, y = middle(gallery, ".overlay circle.hold")
    drag(gallery, x, y, 60, 30)
    assert number(gallery, "#v-turn_layer-roll") < -5
    assert abs(snapshot(gallery, 0).astype(int) - before).mean() > 0.5


def test_the_plan_turns_moves_and_snaps(dusk: Page) -> None:
    choose(dusk, "keeper")
    x, y = middle(dusk, "[data-part=plan-above] .end[data-end='1']")
    mx, _ = middle(dusk, "[data-part=plan-above] .bar[data-layer=keeper] .grip")
    drag(dusk, x, y, 0, -(x - mx))
    assert number(dusk, "#v-turn_layer-pan") == pytest.approx(45, abs=4)
    dusk.keyboard.press("Escape")
    # Both plans; a drag close to where the headland stands ends exactly there, with Ctrl it does
    # not.
    dusk.click("[data-do=both]")
    expect(dusk.locator("[data-part=plan-side]")).to_be_visible()
    dusk.click("[data-do=above]")
    choose(dusk, "keeper")
    dusk.select_option("#v-keep", "taken")
    x, y = middle(dusk, "[data-part=plan-above] .bar[data-layer=keeper] .grip")
    _, far = middle(dusk, "[data-part=plan-above] .bar[data-layer=headland] .grip")
    drag(dusk, x, y, 2, far - y + 3)
    assert distance(dusk, "keeper") == distance(dusk, "headland") == 5
    assert number(dusk, "#v-move_layer-across") == 0


def test_the_horizon_is_dragged_and_a_foot_pointed_at(dusk: Page) -> None:
    type_in(dusk, "#v-horizon", "1200")
    x, y = middle(dusk, ".overlay .horizon")
    drag(dusk, x, y, 0, -25)
    assert number(dusk, "#v-horizon") < 1190
    choose(dusk, "keeper")
    dusk.click("button:text-is('Point at where it touches the ground')")
    box = canvas(dusk)
    with change(dusk):
        dusk.mouse.click(box["x"] + 0.42 * box["width"], box["y"] + 0.93 * box["height"])
    told = dusk.locator("button[hx-post$='/stand_on_ground']").first.inner_text()
    assert float(told.split()[1]) == pytest.approx(distance(dusk, "keeper"), abs=0.01)


def test_layers_are_copied_to_another_shot(dusk: Page) -> None:
    choose(dusk, "keeper")
    dusk.keyboard.press("Control+c")
    expect(dusk.locator(".notice-card")).to_contain_text("Keeper copied")
    open_bench(dusk, own(GALLERY), "arrange")
    with change(dusk):
        dusk.keyboard.press("Control+v")
    expect(dusk.locator(".depth-card[data-layer=keeper]")).to_be_visible()
    looks_as_rendered(dusk, 0)
    choose(dusk, "keeper")
    with change(dusk):
        dusk.keyboard.press("Delete")
    expect(dusk.locator(".depth-card[data-layer=keeper]")).to_have_count(0)


def test_views_find_solo_and_what_lies_beyond(gallery: Page) -> None:
    gallery.keyboard.press("f")
    gallery.keyboard.type("logb")
    expect(gallery.locator(".depth-scale li:visible")).to_have_count(1)
    gallery.keyboard.press("Enter")
    gallery.wait_for_selector("#inspector input[name=layer][value='the-logbook']", state="attached")
    gallery.fill("#find", "")
    width, height = (canvas(gallery)[side] for side in ("width", "height"))
    gallery.locator("body").click(position={"x": 640, "y": 20})
    gallery.keyboard.press("b")
    expect(gallery.locator(".overlay .beyond")).to_have_count(1)
    assert canvas(gallery)["height"] > height
    gallery.keyboard.press("b")
    gallery.click("[data-solo=the-logbook]")
    expect(gallery.locator("[data-solo=the-logbook]")).to_have_attribute("aria-pressed", "true")
    gallery.click("[data-solo=the-logbook]")
    gallery.click("summary:text-is('View')")
    gallery.select_option("[data-do=quality]", "4")
    # The canvas is a worker's: it is as large as it is drawn, once it is.
    gallery.wait_for_function(
        "most => document.querySelector('[data-part=canvas]').width < most", arg=width / 3
    )
    gallery.select_option("[data-do=quality]", "1")


def test_type_is_brought_in_and_what_is_no_type_is_refused(gallery: Page) -> None:
    choose(gallery, "sallow-head-1887-1931")
    font = PACKAGES / FACES["bebas"].files[400][0]
    with change(gallery):
        gallery.set_input_files("[name=font]", font)
    expect(gallery.locator("#v-title-face option[selected]")).to_have_text("Bebas Neue")
    expect(gallery.locator("#v-title-face option")).to_have_count(6)
    looks_as_rendered(gallery, 90)
    gallery.set_input_files(
        "[name=font]", {"name": "notes.ttf", "mimeType": "font/ttf", "buffer": b"no type" * 90}
    )
    expect(gallery.locator("#inspector .refused")).to_contain_text("notes.ttf is not a font")


def test_a_swapped_print_keeps_its_window_and_frame(gallery: Page) -> None:
    choose(gallery, "reeds")
    before = outline(gallery)
    with change(gallery):
        gallery.select_option("#v-swap", label="gallery-the-bay.jpg")
    # A frame is whole pixels of its picture wide; both agree to a fifth of the screen's.
    assert outline(gallery) == pytest.approx(before, abs=0.2)
    with change(gallery):
        gallery.select_option("#v-set_crop-fit", "fit")
    type_in(gallery, "#v-set_crop-zoom", "150")
    looks_as_rendered(gallery, 0)
