"""A stage full of keys, computed; the proof as it is rendered, and the ease's editor, in Chromium.

The browser's figures are of the real stack on one machine: server, database and browser share
its cores.
"""

from __future__ import annotations

import tempfile
from pathlib import Path
from statistics import median

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.figures import Figure, interleaved
from tests.browser.conftest import CHROMIUM, FLAGS, open_bench, running_stack, sign_in
from vistaline.core import edits
from vistaline.core.shot.document import complete, parse_shot
from vistaline.core.shot.shot import Shot
from vistaline.core.stage.evaluate import evaluate
from vistaline.core.stage.tracks import forget_tracks

LAYERS, KEYS, FRAMES, RATE = 60, 40, 1800, 60
FIVE = {"sky", "sea", "headland", "keeper", "reeds"}
MOVES = 80

_PROOF = """async (size) => {
  const { viewOf } = await import(document.querySelector('script[src*="app.js"]').src
    .replace(/app\\.js.*/, "mount.js"));
  const { proof, scene, transport } = viewOf(document.querySelector('[data-view="Desk"]'));
  const { width, duration } = scene.data;
  const count = (least) => [...proof.kept.values()].filter((each) => each.width >= least).length;
  const until = async (done) => { while (!done()) await new Promise((go) => setTimeout(go, 5)); };
  transport.pause();
  proof.toggle();
  await until(() => count(width / 4) === duration);
  const [began, had] = [performance.now(), count(width / 2)];
  await until(() => count(width / 2) === duration);
  const rate = ((duration - had) * 1000) / (performance.now() - began);
  proof.toggle();
  return rate;
}"""

# From a pointer move's own time stamp to the frame after the curve is elsewhere.
_EASE = """() => {
  const sheet = document.querySelector(".ease svg");
  const place = () => sheet.querySelector(".curve").getAttribute("d");
  window.eases = [];
  sheet.addEventListener("pointermove", (event) => {
    if (!event.buttons) return;
    const [began, before] = [event.timeStamp, place()];
    const watch = () => {
      if (place() !== before) window.eases.push(performance.now() - began);
      else if (performance.now() - began < 500) requestAnimationFrame(watch);
    };
    requestAnimationFrame(watch);
  }, true);
}"""


def stage() -> Shot:
    """Return 60 layers with 40 keys each, at other frames in every row, in several eases."""
    rng = np.random.default_rng(7)
    eases = ["ease-in-out", "linear", "cubic-out", "back-out", "spring(0.4)"]
    rows = []
    for n in range(LAYERS):
        for value, low, high in (
            ("across", -0.2, 0.2), ("distance", 1.0, 4.0), ("pan", -40, 40), ("opacity", 0.2, 1.0)
        ):  # fmt: skip
            frames = sorted(rng.choice(FRAMES, KEYS // 4, replace=False).tolist())
            keys = [
                {"frame": f, "value": float(rng.uniform(low, high)), "ease": eases[f % len(eases)]}
                for f in frames
            ]
            rows.append({"of": f"layer:l{n}", "value": value, "keys": keys})
    names = [f"l{n}" for n in range(LAYERS)]
    document = {
        "vistaline": 1,
        "frame": {"width": 1920, "height": 1080, "rate": RATE, "duration": FRAMES},
        "taking_camera": {"focal_length": 33},
        "pictures": {name: {"file": name} for name in names},
        "layers": [{"id": name, "name": name, "picture": name} for name in names],
        "route": {"framings": [{"frame": 0}, {"frame": FRAMES - 1, "position": [0.3, 0, -0.2]}]},
        "rows": rows,
    }
    return complete(parse_shot(document), dict.fromkeys(names, (400, 300)))


def measure() -> list[Figure]:
    """Return milliseconds for a whole stage and for one key, frames a second, delays."""
    shot = stage()
    key = {"of": "layer:l7", "value": "across", "frame": shot.rows[28].keys[3].frame}
    values = iter(np.linspace(-0.2, 0.2, 60).tolist())

    def whole(_: int) -> None:
        forget_tracks()
        evaluate(shot, range(FRAMES))

    def one(_: int) -> None:
        changed = edits.apply(shot, "value_keys", {"keys": [key], "to": str(next(values))})
        evaluate(changed, range(FRAMES))

    def order(_: int) -> None:
        for state in evaluate(shot, range(FRAMES)):
            assert state.order is not None

    times = interleaved({"whole": whole, "one": one, "order": order}, 9)
    all_ms, one_ms, order_ms = (1000 * times[name] for name in ("whole", "one", "order"))
    title = f"{LAYERS} layers of {KEYS} keys, {FRAMES} frames"
    return [
        Figure(f"keys, {title}, computed", all_ms, "ms", 500.0),
        Figure("keys, the same after an edit to one key, edit included", one_ms, "ms"),
        Figure("keys, the same: which layer is before which, in every frame", order_ms, "ms"),
        *_in_chromium(),
    ]


def _in_chromium() -> list[Figure]:
    with (
        tempfile.TemporaryDirectory() as folder,
        running_stack(Path(folder)) as stack,
        sync_playwright() as playwright,
    ):
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=stack.address)
        sign_in(page)
        rendered, again = _proof(page)
        eases = _ease(page)
        browser.close()
    return [
        Figure(
            "proof, half size, five layers, over HTTP in Chromium",
            rendered,
            "fps",
            24.0,
            "higher",
        ),
        Figure("proof, the same once more", again, "fps"),
        Figure("ease editor, a move of the pointer is drawn, median", median(eases), "ms"),
        Figure(
            "ease editor, share of moves drawn within 2 frames of 60 a second",
            100 * sum(delay <= 1000 / 30 for delay in eases) / len(eases),
            "%",
        ),
    ]


def _proof(page: Page) -> tuple[float, float]:
    open_bench(page, 1, "arrange")
    gone = page.locator(".depth-card").evaluate_all(
        "(all, five) => all.map((each) => each.dataset.layer).filter((id) => !five.includes(id))",
        sorted(FIVE),
    )
    for layer in gone:
        with page.expect_response("**/panels/head"):
            page.click(f".depth-card[data-layer={layer}]")
            page.keyboard.press("Delete")
    open_bench(page, 1, "direct")
    page.wait_for_timeout(3000)
    # Only the first is rendered: what is asked for again comes from the browser's store.
    return page.evaluate(_PROOF), page.evaluate(_PROOF)


def _ease(page: Page) -> list[float]:
    page.keyboard.press("2")
    page.wait_for_selector(".ease .knob")
    page.wait_for_timeout(2000)
    page.evaluate(_EASE)
    box = page.locator(".ease .knob").first.bounding_box()
    assert box is not None
    x, y = box["x"] + 5, box["y"] + 5
    page.mouse.move(x, y)
    page.mouse.down()
    for n in range(MOVES):
        page.mouse.move(x + 20 * np.sin(n / 9), y - n / 2)
        page.wait_for_timeout(16)
    found: list[float] = sorted(page.evaluate("() => window.eases"))
    page.keyboard.press("Escape")
    page.mouse.up()
    return found
