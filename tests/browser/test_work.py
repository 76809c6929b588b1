"""What a person does from signing in to a clip, on the real stack in Chromium."""

from __future__ import annotations

import base64
import io
import os
import re
import signal
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect
from skimage.metrics import structural_similarity

from tests.browser.conftest import Stack, box_of, idle, open_bench, own, sign_in
from tests.core.test_formats import probe

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

DUSK = 1


def number(page: Page, field: str) -> float:
    return float(page.locator(field).input_value().split()[0])  # times carry their unit


@contextmanager
def change(page: Page) -> Iterator[None]:
    """Around whatever makes an edit: until scene and panels show it."""
    before = page.locator("#at [name=version]").input_value()
    yield
    expect(page.locator("#at [name=version]")).not_to_have_value(before)
    idle(page)


def set_number(page: Page, field: str, value: float) -> None:
    with change(page):
        page.fill(field, str(value))
        page.press(field, "Enter")


def drag(page: Page, x: float, y: float, dx: float, dy: float) -> None:
    page.mouse.move(x, y)
    page.mouse.down()
    idle(page)
    page.mouse.move(x + dx / 2, y + dy / 2, steps=4)
    page.mouse.move(x + dx, y + dy, steps=4)
    idle(page)
    with change(page):
        page.mouse.up()


def canvas(page: Page) -> dict[str, float]:
    box = box_of(page.locator("[data-part=canvas]"))
    return box


def snapshot(page: Page, frame: int, *, gathered: bool = False) -> np.ndarray:
    """The live view's own pixels at 960 x 540, of the version the page is at."""
    version = page.locator("#at [name=version]").input_value()
    page.wait_for_selector(f".gate[data-shows='{version}']")
    text = page.evaluate(
        """async ([frame, gathered]) => {
          const { viewOf } = await import(document.querySelector('script[src*="app.js"]').src
            .replace(/app\\.js.*/, "mount.js"));
          const desk = viewOf(document.querySelector('[data-view="Desk"]'));
          const pixels = await desk.snapshot(960, 540, frame, gathered);
          let text = "";
          for (let i = 0; i < pixels.length; i += 8192) {
            text += String.fromCharCode(...pixels.subarray(i, i + 8192));
          }
          return btoa(text);
        }""",
        [frame, gathered],
    )
    return np.frombuffer(base64.b64decode(text), np.uint8).reshape(540, 960, 4)[..., :3]


def fetched(page: Page, address: str) -> bytes:
    answer = page.request.get(address)
    assert answer.ok
    return answer.body()


def undo_everything(page: Page) -> None:
    while page.locator("[data-history=undo]").is_enabled():
        with change(page):
            page.click("[data-history=undo]")


def test_the_demo_moves_at_once(page: Page) -> None:
    page.click("text=Dusk at Sallow Head")
    page.wait_for_selector(".gate[data-ready]")
    before = page.locator("[data-part=timecode]").inner_text()
    expect(page.locator("[data-do=play]")).to_have_attribute("aria-label", "Pause")
    expect(page.locator("[data-part=timecode]")).not_to_have_text(before)


def looks_as_rendered(
    page: Page, frame: int, *, least: float = 0.97, gathered: bool = False
) -> None:
    """The live view against the rendered frame: SSIM at 960 x 540 (scikit-image)."""
    version = page.locator("#at [name=version]").input_value()
    live = snapshot(page, frame, gathered=gathered)
    shot = page.url.split("/shots/")[1].split("/")[0]
    data = fetched(page, f"/shots/{shot}/frame.png?n={frame}&width=960&version={version}")
    rendered = np.asarray(Image.open(io.BytesIO(data)))
    found = structural_similarity(live, rendered, channel_axis=2)
    assert found >= least


def test_the_live_view_is_the_rendered_frame(page: Page) -> None:
    open_bench(page, own(DUSK), "direct")
    for frame in (0, 100, 191):
        looks_as_rendered(page, frame)


def test_blended_layers_look_live_as_rendered(page: Page) -> None:
    """Each of three kinds of mode, on layers over one another."""
    open_bench(page, own(DUSK), "arrange")
    for layer, blend in (("sea", "multiply"), ("beam", "add"), ("headland", "luminosity")):
        page.click(f".depth-card[data-layer={layer}]")
        expect(page.locator(f"#inspector input[name=layer][value={layer}]").first).to_be_attached()
        with change(page):
            page.select_option("#v-set_blend-blend", blend)
    looks_as_rendered(page, 60)


def test_a_project_from_upload_to_shot(page: Page, picture_files: dict[str, Path]) -> None:
    page.fill("[name=name]", "Two pictures")
    page.click("text=Start project")
    broken = picture_files["bay.jpg"].with_name("broken.jpg")
    broken.write_bytes(picture_files["bay.jpg"].read_bytes()[:9000])
    files = [picture_files["bay.jpg"], broken, picture_files["rock-cropped.png"]]
    page.set_input_files("input[type=file]", files)
    expect(page.locator(".task[data-state=failed]")).to_contain_text(
        "broken.jpg: the file breaks off"
    )
    expect(page.locator("#pictures .tile")).to_have_count(2)
    page.fill("[name=name][form=start]", "Between the rocks")
    page.fill("[name=width]", "640")
    page.fill("[name=height]", "360")
    page.fill("[name=rate]", "29.97")
    page.fill("[name=seconds]", "2")
    page.click("button:text('Start shot')")
    page.wait_for_url("**/arrange")
    page.wait_for_selector(".gate[data-ready]")
    expect(page.locator(".chip")).to_contain_text("640 × 360 · 29.97 fps")
    expect(page.locator(".depth-card")).to_have_count(2)
    expect(page.locator(".depth-name").first).to_have_text("rock-cropped")
    # Nobody else sees it, and a page that is not there says so.
    assert page.request.get("/projects/999").status == 404


def test_arranging(page: Page) -> None:
    open_bench(page, own(DUSK), "arrange")
    page.click(".depth-card[data-layer=keeper]")
    expect(page.locator("#layer-name")).to_have_value("Keeper")
    framed = snapshot(page, 0)

    # Typed, framing kept: from the first framing next to nothing may change.
    set_number(page, "#v-distance", 2.2)
    expect(page.locator("#v-size_layer-percent")).to_have_value("100")
    assert np.abs(snapshot(page, 0).astype(int) - framed).mean() < 3

    # Typed, moved freely: seen smaller, the size in per cent says so.
    page.select_option("#v-keep", "size")
    set_number(page, "#v-distance", 4.4)
    assert number(page, "#v-size_layer-percent") == pytest.approx(50, abs=0.1)
    page.select_option("#v-keep", "seen")

    # Dragged on the plan: the number follows while the drag lasts.
    page.click("[data-do=fit]")
    bar = box_of(page.locator(".bar[data-layer=headland] .grip"))
    x, y = bar["x"] + bar["width"] - 6, bar["y"] + bar["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 30, steps=6)
    words = page.locator(".bar.chosen text")
    expect(words).not_to_contain_text("Headland  5.00 m")
    idle(page)
    shown = float((words.text_content() or "").removeprefix("Headland").split()[0])
    with change(page):
        page.mouse.up()
    assert number(page, "#v-distance") == pytest.approx(shown, abs=0.006) and shown > 5.3

    # Dragged in the viewfinder: the tower goes with the pointer.
    box = canvas(page)
    drag(page, box["x"] + 0.76 * box["width"], box["y"] + 0.4 * box["height"], 40, 0)
    expect(page.locator("#layer-name")).to_have_value("Headland")
    assert number(page, "#v-move_layer-across") > 0.2

    # Hidden, locked, renamed, opacity; two at one distance.
    with change(page):
        page.check("text=Hidden")
    expect(page.locator(".bar.hidden-layer")).to_have_count(1)
    with change(page):
        page.uncheck("text=Hidden")
    with change(page):
        page.fill("#layer-name", "Headland and tower")
        page.press("#layer-name", "Enter")
    expect(page.locator(".depth-name", has_text="Headland and tower")).to_be_visible()
    set_number(page, "#v-set_opacity-percent", 60)
    set_number(page, "#v-distance", 5.1)
    with change(page):
        page.click("text=Put in front of Beam")
    order = page.request.get(f"/shots/{own(DUSK)}/scene.json").json()["frames"][0]["order"]
    assert order.index("headland") > order.index("beam")
    with change(page):
        page.check("text=Locked")
    expect(page.locator("#v-distance")).to_be_disabled()

    # With nothing chosen the lens, from the presets and typed; what makes no sense is refused.
    page.focus("[data-part=gate]")
    page.keyboard.press("Escape")
    with change(page):
        page.click(".presets button:text-is('50')")
    expect(page.locator("#v-lens")).to_have_value("50")
    set_number(page, "#v-lens", 31.5)
    with change(page):
        page.press("#v-lens", "ArrowUp")
    expect(page.locator("#v-lens")).to_have_value("32.5")
    page.fill("#v-lens", "0")
    page.press("#v-lens", "Enter")
    expect(page.locator(".refused")).to_contain_text("Lens must be above 0")

    undo_everything(page)
    assert np.abs(snapshot(page, 0).astype(int) - framed).max() <= 2


def test_directing(page: Page) -> None:
    open_bench(page, own(DUSK), "direct")
    box = canvas(page)
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    before = number(page, "#v-set_framing-across")
    drag(page, *middle, -60, 0)
    assert number(page, "#v-set_framing-across") > before  # the picture goes left, the camera right

    page.keyboard.press("2")
    expect(page.locator("#v-time_framing-frame")).to_have_value("191 f")
    expect(page.locator("[data-part=counter]")).to_have_text("frame 191 of 192")
    for key, field in (("d", "forward"), ("p", "pan"), ("r", "roll"), ("c", "across")):
        page.keyboard.press(key)
        before = number(page, f"#v-set_framing-{field}")
        drag(page, *middle, 25, -30)
        assert number(page, f"#v-set_framing-{field}") != before, field
    for field, value in (("up", 0.05), ("tilt", -2), ("across", 0.2)):
        set_number(page, f"#v-set_framing-{field}", value)
        assert number(page, f"#v-set_framing-{field}") == value

    # Eases by name and by hand; the hump and the ticks follow.
    ticks = page.locator(".ticks").get_attribute("d")
    with change(page):
        page.select_option("#v-ease", "ease-in")
    expect(page.locator(".ticks")).not_to_have_attribute("d", ticks or "")
    page.locator(".ease circle").first.scroll_into_view_if_needed()
    handle = box_of(page.locator(".ease circle").first)
    drag(page, handle["x"] + 4, handle["y"] + 4, 12, -20)
    expect(page.locator("#v-ease")).to_have_value("own")
    set_number(page, "#v-x1", 0.8)
    assert page.locator(".ticks").get_attribute("d")

    # In time: a framing added, moved, removed.
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("Home")
    expect(page.locator("[data-part=counter]")).to_have_text("frame 0 of 192")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(page.locator("[data-part=counter]")).to_have_text("frame 11 of 192")
    expect(page.locator("[data-part=timecode]")).to_have_text("00:00:00:11")
    with change(page):
        page.keyboard.press("a")
    expect(page.locator(".stop")).to_have_count(3)
    expect(page.locator("#v-time_framing-frame")).to_have_value("11 f")
    stop = box_of(page.locator(".stop[data-framing='1'] rect"))
    drag(page, stop["x"] + stop["width"] - 8, stop["y"] + 8, 200, 0)
    assert number(page, "#v-time_framing-frame") > 30
    with change(page):
        page.click("#inspector button:text-is('Remove')")
    expect(page.locator(".stop")).to_have_count(2)

    # Play, pause, loop off.
    page.keyboard.press("o")
    expect(page.locator("[data-do=loop]")).to_have_attribute("aria-pressed", "false")
    page.locator("[data-part=gate]").focus()
    page.keyboard.press("End")
    page.keyboard.press("Space")
    expect(page.locator("[data-do=play]")).to_have_attribute("aria-label", "Pause")
    page.keyboard.press("Space")
    expect(page.locator("[data-do=play]")).to_have_attribute("aria-label", "Play")
    page.keyboard.press("o")
    page.fill("[data-part=scrub]", "96")
    expect(page.locator("[data-part=counter]")).to_have_text("frame 96 of 192")


def test_undo_outlives_page_and_server(page: Page, stack: Stack) -> None:
    open_bench(page, own(DUSK), "direct")
    start = number(page, "#v-set_framing-tilt")
    for tilt in (3.5, 7.5):
        set_number(page, "#v-set_framing-tilt", tilt)
    page.reload()
    page.wait_for_selector(".gate[data-ready]")
    with change(page):
        page.keyboard.press("Control+z")
    expect(page.locator("#v-set_framing-tilt")).to_have_value("3.5")
    stack.stop("web")
    stack.start("web")
    stack.wait()
    open_bench(page, own(DUSK), "direct")
    with change(page):
        page.keyboard.press("Control+z")
    expect(page.locator("#v-set_framing-tilt")).to_have_value(f"{start:g}")
    with change(page):
        page.keyboard.press("Control+Shift+z")
    expect(page.locator("#v-set_framing-tilt")).to_have_value("3.5")


def test_two_windows_do_not_overwrite_each_other(page: Page, stack: Stack) -> None:
    open_bench(page, own(DUSK), "direct")
    other = page.context.browser.new_page(base_url=stack.address)  # type: ignore[union-attr]
    sign_in(other)
    open_bench(other, own(DUSK), "direct")
    set_number(page, "#v-set_framing-tilt", 2)
    other.fill("#v-set_framing-tilt", "9")
    other.press("#v-set_framing-tilt", "Enter")
    expect(other.locator("#notice")).to_contain_text("changed in another window")
    other.close()
    assert (
        page.request.get(f"/shots/{own(DUSK)}/panels/direct?framing=0").text().count('value="2"')
        == 1
    )


def test_rendering(page: Page, stack: Stack, tmp_path: Path) -> None:
    page.goto(f"/shots/{own(DUSK)}/output")
    page.fill("[name=percent]", "50")
    page.click("button.btn-ink:text('Render')")
    running = page.locator(".job").first
    expect(running).to_contain_text("of 192 frames")
    expect(running).to_contain_text("left")
    job = running.get_attribute("data-job")

    # Stopped and gone on with; one worker process killed in mid-range; the page closed.
    page.click("button:text('Stop')")
    expect(page.locator(f".job[data-job='{job}']")).to_have_attribute("data-state", "stopped")
    page.click("button:text('Go on')")
    again = page.locator(f".job[data-job='{job}'][data-state=running]")
    expect(again).to_contain_text(re.compile(r"[1-9]\d* of 192"))
    children = subprocess.run(
        ["pgrep", "-P", str(stack.processes["worker"].pid)], capture_output=True, text=True
    ).stdout.split()
    busiest = max(children, key=_cpu_seconds)
    os.kill(int(busiest), signal.SIGKILL)
    page.goto("about:blank")
    deadline = time.monotonic() + 120
    while time.monotonic() < deadline:
        if 'data-state="done"' in page.request.get(f"/shots/{own(DUSK)}/renders").text():
            break
        time.sleep(1)
    page.goto(f"/shots/{own(DUSK)}/output")
    expect(page.locator(f".job[data-job='{job}']")).to_have_attribute("data-state", "done")
    with page.expect_download() as download:
        page.click("text=Download")
    path = tmp_path / download.value.suggested_filename
    download.value.save_as(path)
    assert path.name == f"dusk-at-sallow-head-{job}.mp4"
    facts = probe(path)
    assert (facts["width"], facts["height"]) == (960, 540)
    assert (facts["avg_frame_rate"], facts["nb_read_frames"]) == ("24/1", "192")

    page.check("[value=png]")
    page.fill("[name=last]", "5")
    page.click("button.btn-ink:text('Render')")
    newest = f".job:not([data-job='{job}']):first-child[data-state=done]"
    expect(page.locator(newest)).to_be_visible(timeout=60_000)
    link = page.locator(".job a:text-is('Download')").first.get_attribute("href") or ""
    assert fetched(page, link)[:2] == b"PK"


def _cpu_seconds(pid: str) -> int:
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return int(fields[11]) + int(fields[12])
