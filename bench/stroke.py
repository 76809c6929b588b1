"""How soon a brush stroke shows on a 12-megapixel picture, in Chromium, on the real stack."""

from __future__ import annotations

import tempfile
from pathlib import Path
from statistics import median, quantiles

from playwright.sync_api import sync_playwright

from bench.figures import Figure
from tests.browser.conftest import CHROMIUM, FLAGS, running_stack, sign_in

# Chromium draws with the processor where there is no graphics card; the tests imitate one for
# WebGL, which this bench has none of.
_FLAGS = [*(f for f in FLAGS if "swiftshader" not in f and "gpu" not in f), "--disable-gpu"]

# From the pointer's own time stamp to the first drawn frame in which the place it was at changed.
_WATCH = """() => {
  const room = document.querySelector(".board");
  const canvas = room.querySelector("canvas");
  const context = canvas.getContext("2d");
  window.delays = [];
  room.addEventListener("pointermove", (event) => {
    if (!event.buttons) return;
    const box = canvas.getBoundingClientRect();
    const at = [(event.clientX - box.left) * devicePixelRatio, (event.clientY - box.top) * devicePixelRatio];
    const look = () => context.getImageData(...at, 1, 1).data.join();
    const before = look();
    const began = event.timeStamp;
    const watch = () => {
      if (look() !== before) window.delays.push(performance.now() - began);
      else if (performance.now() - began < 2000) requestAnimationFrame(watch);
    };
    requestAnimationFrame(watch);
  });
}"""  # noqa: E501


def measure() -> list[Figure]:
    """Return the median and the 95th percentile of the delay in milliseconds."""
    with (
        tempfile.TemporaryDirectory() as folder,
        running_stack(Path(folder)) as stack,
        sync_playwright() as playwright,
    ):
        browser = playwright.chromium.launch(
            executable_path=CHROMIUM, args=[*_FLAGS, "--disable-gpu"]
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=stack.address)
        sign_in(page)
        page.goto("/projects/1")
        tile = page.locator(".tile", has=page.get_by_text("photograph.jpg", exact=True))
        tile.get_by_text("Separate", exact=True).click()
        page.wait_for_selector(".board[data-ready]")
        page.wait_for_timeout(2000)
        page.evaluate(_WATCH)
        box = page.locator(".board").bounding_box()
        assert box is not None
        for row in range(6):
            y = box["y"] + 120 + 50 * row
            page.mouse.move(box["x"] + 150, y)
            page.mouse.down()
            for n in range(1, 25):
                # Far enough that each step lands where the stroke has not been.
                page.mouse.move(box["x"] + 150 + 24 * n, y)
                page.wait_for_timeout(30)
            page.mouse.up()
            page.wait_for_timeout(700)
        delays = sorted(page.evaluate("() => window.delays"))
        browser.close()
    return [
        Figure("desk, a brush stroke shows at 12 MP, median", median(delays), "ms", 100.0),
        Figure("desk, the same, 95 of 100", quantiles(delays, n=20)[18], "ms", 100.0),
    ]
