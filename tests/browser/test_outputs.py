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
