"""``make screenshots``: draws docs/screenshots anew from the demo, on a stack of its own."""

from __future__ import annotations

import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from tests.browser.conftest import CHROMIUM, FLAGS, open_bench, running_stack, sign_in

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def take(page: Page, name: str) -> None:
    page.wait_for_timeout(1200)
    page.screenshot(path=FOLDER / f"{name}.png")


def views(page: Page) -> None:
    """Go through the main views."""
    page.goto("/sign-in")
    take(page, "sign-in")
    sign_in(page)
    page.wait_for_load_state("networkidle")
    take(page, "projects")
    page.goto("/projects/1")
    page.wait_for_load_state("networkidle")
    take(page, "pictures")
    open_bench(page, 1, "arrange")
    page.click(".depth-card[data-layer=keeper]")
    take(page, "arrange")
    open_bench(page, 1, "direct")
    page.keyboard.press("2")
    page.fill("[data-part=scrub]", "84")
    page.wait_for_load_state("networkidle")
    take(page, "direct")
    page.click("[data-theme-switch]")
    take(page, "direct-dark")
    page.click("[data-theme-switch]")
    open_bench(page, 2, "direct")
    page.wait_for_load_state("networkidle")
    take(page, "direct-upright")
    page.goto("/shots/1/output")
    page.fill("[name=percent]", "50")
    page.fill("[name=last]", "47")
    page.click("button.btn-ink:text('Render')")
    page.wait_for_selector(".job[data-state=done]", timeout=120_000)
    page.fill("[name=percent]", "100")
    page.fill("[name=last]", "191")
    page.click("button.btn-ink:text('Render')")
    page.wait_for_selector(".job[data-state=running] >> text=left", timeout=60_000)
    take(page, "output")


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
