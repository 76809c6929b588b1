"""What is handed over, as somebody chooses and fetches it on Output."""

from __future__ import annotations

import zipfile
from pathlib import Path

import av
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import idle, own

pytestmark = [pytest.mark.browser, pytest.mark.timeout(600)]
DUSK = 1


def fetched(page: Page, link: str, folder: Path) -> Path:
    with page.expect_download() as waiting:
        page.locator(link).first.click()
    path = folder / waiting.value.suggested_filename
    waiting.value.save_as(path)
    return path


def test_an_edit_master_is_chosen_stopped_gone_on_with_and_fetched(
    page: Page, tmp_path: Path
) -> None:
    page.goto(f"/shots/{own(DUSK)}/output")
    idle(page)
    assert not page.locator("[name='master.rate']").is_visible()
    page.check("[name=kind][value=master]")
    page.select_option("[name='master.rate']", "light")
    page.fill("[name=percent]", "25")
    page.fill("[name=last]", "11")
    page.click("button:text-is('Render')")
    job = page.locator(".job").first
    expect(job).to_contain_text("Edit master")
    done = job.locator("a:text-is('Download')")
    go_on = job.locator("button:text-is('Go on')")
    stop = job.locator("button:text-is('Stop')")
    # A quick machine may be done before it can be stopped.
    if stop.is_visible():
        stop.click()
        expect(go_on.or_(done)).to_be_visible(timeout=60_000)
    if go_on.is_visible():
        go_on.click()
    expect(done).to_be_visible(timeout=240_000)
    path = fetched(page, ".job >> nth=0 >> a:text-is('Download')", tmp_path)
    assert path.suffix == ".mov"
    with av.open(str(path)) as clip:
        video = clip.streams.video[0]
        assert (video.codec_context.codec_tag, video.pix_fmt) == ("apcs", "yuv422p10le")
        assert len(list(clip.decode(video))) == 12


def test_a_shot_is_handed_over_packed_and_opened_again(page: Page, tmp_path: Path) -> None:
    page.goto(f"/shots/{own(DUSK)}/output")
    idle(page)
    page.click("button:has-text('Hand over the scene')")
    page.click("button:text-is('Pack it')")
    for kind, suffix in (("scene", ".glb"), ("pack", ".zip")):
        task = f".task[data-kind={kind}][data-state=done]"
        expect(page.locator(task).first).to_be_visible(timeout=240_000)
        path = fetched(page, f"{task} a", tmp_path)
        assert path.suffix == suffix and path.stat().st_size > 100_000
    path = fetched(page, "a:text-is('CSV')", tmp_path)
    assert path.read_text().startswith("frame,timecode,camera")
    with zipfile.ZipFile(next(tmp_path.glob("*.zip"))) as archive:
        assert "shot.json" in archive.namelist()
    page.goto("/projects/1")
    idle(page)
    page.click("summary:has-text('packed elsewhere')")
    page.set_input_files("[name=package]", next(tmp_path.glob("*.zip")))
    page.click("button:text-is('Open it here')")
    opened = page.locator(".task[data-kind=unpack][data-state=done] a").first
    expect(opened).to_be_visible(timeout=240_000)
    opened.click()
    page.wait_for_selector(".gate[data-ready]", timeout=90_000)


def test_choices_are_foretold_kept_and_a_clip_is_matched(page: Page, tmp_path: Path) -> None:
    page.goto(f"/shots/{own(DUSK)}/output")
    told = page.locator(".foretold")
    expect(told).to_contain_text("px", timeout=60_000)
    page.check("[name=kind][value=exr]")
    page.fill("[name=percent]", "33")
    page.fill("#ask [name=name]", "{project}.{frame}")
    page.keyboard.press("Tab")
    expect(told).to_contain_text("sallow-head.0000.exr")
    expect(told).to_contain_text("rounded to even")
    expect(page.locator("#size-exr")).to_contain_text("B")
    page.fill("#ask [name=name]", "{shto}")
    page.keyboard.press("Tab")
    expect(page.locator("#expected .refused")).to_contain_text("Did you mean 'shot'")
    page.fill("#ask [name=name]", "{shot}-{size}-{frame}")
    page.fill("[name=kept_name]", "For the trust")
    page.keyboard.press("Enter")
    kept = page.locator("#ask-kept")
    expect(kept.locator("option:checked")).to_have_text("For the trust")
    kept.select_option("")
    expect(page.locator("[name=kind][value=mp4]")).to_be_checked()
    kept.select_option(label="For the trust")
    expect(page.locator("[name=kind][value=exr]")).to_be_checked()
    expect(page.locator("#ask [name=name]")).to_have_value("{shot}-{size}-{frame}")
    clip = tmp_path / "theirs.mov"
    with av.open(str(clip), "w") as out:
        video = out.add_stream("prores_ks", rate=25, options={"profile": "0"})
        video.width, video.height, video.pix_fmt = 960, 540, "yuv422p10le"
        out.mux(video.encode(av.VideoFrame(960, 540, "yuv422p10le")))
        out.mux(video.encode(None))
    page.set_input_files("#ask-match", clip)
    expect(page.locator(".matched")).to_contain_text("Edit master, proxy")
    expect(page.locator(".matched")).to_contain_text("25 frames a second")
    expect(page.locator("[name='master.rate']")).to_have_value("proxy")
    expect(page.locator("[name=percent]")).to_have_value("50")
    # So its rate is changed, here.
    page.click("[data-open=format]")
    page.fill("#format [name=rate]", "25")
    page.click("#format .btn-ink")
    expect(page.locator("[data-open=format]")).to_contain_text("25 fps")


def test_renders_are_put_in_order_and_followed(page: Page) -> None:
    page.goto(f"/shots/{own(DUSK)}/output")
    idle(page)
    page.fill("[name=percent]", "60")
    before = page.locator(".job").count()
    for n in range(3):
        page.click("button:text-is('Render')")
        expect(page.locator(".job")).to_have_count(before + n + 1)
    page.goto("/renders")
    idle(page)
    rows = page.locator("tr[data-of]")
    numbers = [int(row.get_attribute("data-of") or 0) for row in rows.all()]
    mine = numbers[-3:]
    assert mine == sorted(mine)
    page.locator(f"tr[data-of='{mine[2]}'] .grip").focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(rows.nth(len(numbers) - 2)).to_have_attribute("data-of", str(mine[2]))
    # Dragged by its dots to the top.
    grip = page.locator(f"tr[data-of='{mine[1]}'] .grip").bounding_box()
    top = rows.first.bounding_box()
    assert grip and top
    page.mouse.move(grip["x"] + 4, grip["y"] + 4)
    page.mouse.down()
    page.mouse.move(grip["x"] + 4, top["y"] + 2, steps=5)
    page.mouse.up()
    expect(rows.first).to_have_attribute("data-of", str(mine[1]))
    page.select_option(f"#urgency-{mine[2]}", "first")
    expect(rows.first).to_have_attribute("data-of", str(mine[2]))
    for number in mine:
        page.locator(f"tr[data-job='{number}'] button:text-is('Stop')").click()
        expect(page.locator(f"tr[data-job='{number}']")).to_contain_text("Stopped")
    page.locator(f"tr[data-job='{mine[0]}'] a:text-is('Log')").click()
    expect(page.locator("table.log")).to_contain_text("stopped")
