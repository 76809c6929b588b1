"""How soon strokes show at 12 megapixels and how fluid 24 are, in Chromium, on the real stack."""

from __future__ import annotations

import tempfile
from pathlib import Path
from statistics import median, quantiles

import cv2
import numpy as np
import skimage.data
from playwright.sync_api import Page, sync_playwright

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


# Frames between the first and the last move: how long each lasted.
_FRAMES = """() => {
  window.frames_ = [];
  let last = performance.now();
  const next = (now) => {
    window.frames_.push(now - last);
    last = now;
    if (!window.enough) requestAnimationFrame(next);
  };
  requestAnimationFrame(next);
}"""


# From the pen's lifting to the last change of what the board shows.
_LAG = """() => {
  const canvas = document.querySelector(".board canvas");
  const small = Object.assign(document.createElement("canvas"), { width: 64, height: 48 });
  const context = small.getContext("2d", { willReadFrequently: true });
  const seen = () => {
    context.drawImage(canvas, 0, 0, 64, 48);
    return context.getImageData(0, 0, 64, 48).data.join();
  };
  window.lags = [];
  addEventListener("pointerup", () => {
    const began = performance.now();
    let [last, before] = [0, seen()];
    const look = () => {
      const now = seen();
      if (now !== before) [last, before] = [performance.now() - began, now];
      if (performance.now() - began < 3000) setTimeout(look, 30);
      else window.lags.push(last);
    };
    setTimeout(look, 30);
  }, true);
}"""


# From the pointer's own time stamp to the frame after the outline's points and lines changed.
_OUTLINED = """() => {
  const room = document.querySelector(".board");
  window.delays = [];
  let began = 0;
  const note = (event) => event.buttons && (began ||= event.timeStamp);
  for (const kind of ["pointerdown", "pointermove"]) room.addEventListener(kind, note, true);
  new MutationObserver(() => {
    const since = began;
    began = 0;
    if (since) requestAnimationFrame(() => window.delays.push(performance.now() - since));
  }).observe(room.querySelector("[data-part=overlay]"), { childList: true, subtree: true, attributes: true });
}"""  # noqa: E501


def measure() -> list[Figure]:
    """Return the median and the 95th percentile of the delays in milliseconds."""
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
        delays, frames = _strokes(page), _moves(page, Path(folder) / "24 megapixels.jpg")
        hand, lags = _hand(page)
        outlined = _outlined(page)
        browser.close()
    return [
        Figure("desk, a brush stroke shows at 12 MP, median", median(delays), "ms", 100.0),
        Figure("desk, the same, 95 of 100", quantiles(delays, n=20)[18], "ms", 100.0),
        Figure("desk, frames while zooming and moving 24 MP, median", median(frames), "ms", 50.0),
        Figure("desk, the same, 95 of 100", quantiles(frames, n=20)[18], "ms", 100.0),
        Figure("desk, brush, guess and hair show at 24 MP, 95 of 100", quantiles(hand, n=20)[18],
               "ms", 100.0),
        Figure("desk, an outline answers at 24 MP, 95 of 100", quantiles(outlined, n=20)[18],
               "ms", 100.0),
        Figure("desk, the guess is behind the pen's lifting at 24 MP, median", median(lags), "ms",
               600.0),
    ]  # fmt: skip


def _strokes(page: Page) -> list[float]:
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
    return sorted(page.evaluate("() => window.delays"))


def _moves(page: Page, path: Path) -> list[float]:
    photo = cv2.resize(skimage.data.coffee(), (6000, 4000), interpolation=cv2.INTER_CUBIC)
    cv2.imwrite(str(path), photo[..., ::-1])
    page.goto("/projects")
    page.fill("[name=name]", "Large")
    page.click("text=Start project")
    page.set_input_files("input[type=file]", path)
    page.locator("#pictures .tile").get_by_text("Separate", exact=True).click(timeout=60_000)
    page.wait_for_selector(".board[data-ready]")
    page.wait_for_timeout(1500)
    page.keyboard.press("1")
    box = page.locator(".board").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.evaluate(_FRAMES)
    for _ in range(16):
        page.mouse.wheel(0, -120)
        page.wait_for_timeout(30)
    page.mouse.down()
    for n in range(60):
        page.mouse.move(x + 250 * np.sin(n / 8), y + 150 * np.sin(n / 5))
        page.wait_for_timeout(15)
    page.mouse.up()
    for _ in range(16):
        page.mouse.wheel(0, 120)
        page.wait_for_timeout(30)
    return sorted(page.evaluate("() => { window.enough = true; return window.frames_; }"))


def _hand(page: Page) -> tuple[list[float], list[float]]:
    """Return how soon strokes of three tools show on the picture that is open, and how late guesses
    are, milliseconds."""
    page.reload()
    page.wait_for_selector(".board[data-ready]")
    page.wait_for_timeout(2500)
    page.evaluate(_WATCH)
    box = page.locator(".board").bounding_box()
    assert box is not None

    def stroke(x: float, y: float, way: float) -> None:
        page.mouse.move(box["x"] + x, box["y"] + y)
        page.mouse.down()
        for n in range(1, 20):
            page.mouse.move(box["x"] + x + way * n, box["y"] + y)
            page.wait_for_timeout(30)
        page.mouse.up()

    for row, key in enumerate(("4", "5", "7")):
        page.keyboard.press(key)
        for n in range(2):
            stroke(180, 120 + 120 * row + 50 * n, 22)
            page.wait_for_timeout(1500)
    hand = sorted(page.evaluate("() => window.delays"))
    page.evaluate(_LAG)
    page.keyboard.press("5")
    for n in range(5):
        stroke(330, 200 + 37 * n, 8)
        page.wait_for_timeout(3500)
    return hand, page.evaluate("() => window.lags")


def _outlined(page: Page) -> list[float]:
    """Return how soon an outline shows that is drawn and changed on the picture that is open."""
    page.keyboard.press("2")
    box = page.locator(".board").bounding_box()
    assert box is not None
    page.evaluate(_OUTLINED)
    middle = np.array([box["x"] + box["width"] / 2, box["y"] + box["height"] / 2])
    angles = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    points = middle + 180 * np.stack([np.cos(angles), np.sin(angles)], axis=1)

    def drag(start: np.ndarray, way: np.ndarray) -> None:
        page.mouse.move(*start, steps=8)
        page.mouse.down()
        for n in range(1, 9):
            page.mouse.move(*(start + way * n / 8))
            page.wait_for_timeout(30)
        page.mouse.up()

    for start, angle in zip(points, angles, strict=True):
        drag(start, 30 * np.array([-np.sin(angle), np.cos(angle)]))
    page.mouse.click(*points[0])
    page.wait_for_timeout(2000)
    # Its points are moved while masks of what they were are computed.
    page.locator("[data-reshapes]").last.click()
    for start in points[1:7]:
        drag(start, (start - middle) / 6)
    page.wait_for_timeout(1000)
    return sorted(page.evaluate("() => window.delays"))
