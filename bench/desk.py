"""How soon an edit of a stage with 60 layers shows, and how a drag follows, in Chromium.

The real stack on one machine: server, database and browser share its cores. The browser draws
WebGL and the page with the processor, as it does on any machine without a graphics card.
"""

from __future__ import annotations

import tempfile
from pathlib import Path
from statistics import median, quantiles

from playwright.sync_api import Browser, Page, sync_playwright

from bench.figures import Figure
from tests.browser.conftest import CHROMIUM, FLAGS, Stack, open_bench, running_stack, sign_in
from vistaline.actions import shots
from vistaline.core.shot.cameras import Camera
from vistaline.core.shot.route import Framing, Route
from vistaline.core.shot.shot import Shot
from vistaline.store.database import connect
from vistaline.store.models import Person, ShotRow

LAYERS, SECONDS, EDITS, MOVES, ROUNDS = 60, 20, 16, 90, 15

# From a key's own time stamp to the first frame after viewfinder and plan were drawn anew.
_EDITS = """async () => {
  const { viewOf } = await import(document.querySelector('script[src*="app.js"]').src
    .replace(/app\\.js.*/, "mount.js"));
  const { scene } = viewOf(document.querySelector('[data-view="Desk"]'));
  window.edits = [];
  const shown = () => scene.current.data.layers.find((each) => each.id === scene.layer).distance;
  document.addEventListener("keydown", (event) => {
    const [began, before] = [event.timeStamp, shown()];
    const drawn = () => {
      if (shown() === before) return;
      scene.removeEventListener("drawn", drawn);
      requestAnimationFrame(() => window.edits.push(performance.now() - began));
    };
    scene.addEventListener("drawn", drawn);
  }, true);
}"""

# From a pointer move's own time stamp to the first frame in which the bar is elsewhere.
_MOVES = """() => {
  const sheet = document.querySelector('[data-part="plan-above"]');
  const place = () => {
    const bar = sheet.querySelector(".bar.chosen");
    return bar?.getAttribute("transform") + bar?.querySelector(".grip").getAttribute("y1");
  };
  window.moves = [];
  sheet.addEventListener("pointermove", (event) => {
    if (!event.buttons) return;
    const [began, before] = [event.timeStamp, place()];
    const watch = () => {
      if (place() !== before) window.moves.push(performance.now() - began);
      else if (performance.now() - began < 2000) requestAnimationFrame(watch);
    };
    requestAnimationFrame(watch);
  }, true);
}"""


# What keeps the page from answering: tasks of more than 50 ms (W3C Long Tasks).
_LONG = """() => {
  window.long = [];
  const told = (list) => window.long.push(...list.getEntries().map((each) => each.duration));
  new PerformanceObserver(told).observe({ type: "longtask" });
}"""


# One frame drawn in full, from its asking until it is drawn, as the viewfinder draws it.
_DRAWN = """async () => {
  const { viewOf } = await import(document.querySelector('script[src*="app.js"]').src
    .replace(/app\\.js.*/, "mount.js"));
  const { viewfinder, scene } = viewOf(document.querySelector('[data-view="Desk"]'));
  const { screen } = viewfinder;
  const view = { size: [960, 540], window: [1, 1], shares: {} };
  const [pixels, record] = [view.size[0] * view.size[1], scene.data.frames[96]];
  const painted = () =>
    new Promise((done) => scene.addEventListener("painted", done, { once: true }));
  while (screen.busy) await painted();
  screen.draw(record, view, 1, null);
  await painted();
  return screen.perPixel * pixels;
}"""


# From a slider's own time stamp to the first frame after the viewfinder was drawn anew.
_TURNS = """async () => {
  const { viewOf } = await import(document.querySelector('script[src*="app.js"]').src
    .replace(/app\\.js.*/, "mount.js"));
  const { scene } = viewOf(document.querySelector('[data-view="Desk"]'));
  window.turns = [];
  document.addEventListener("input", (event) => {
    const shown = () => requestAnimationFrame(() =>
      window.turns.push(performance.now() - event.timeStamp));
    scene.addEventListener("drawn", shown, { once: true });
  }, true);
}"""


def measure() -> list[Figure]:
    """Return delays in milliseconds, the share of pointer moves drawn within 50 ms, long tasks."""
    with (
        tempfile.TemporaryDirectory() as folder,
        running_stack(Path(folder)) as stack,
        sync_playwright() as playwright,
    ):
        shot = _large_shot(stack)
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=stack.address)
        sign_in(page)
        open_bench(page, shot, "arrange")
        page.wait_for_timeout(4000)
        edits, moves = _edits(page), _moves(page)
        long = page.evaluate("() => window.long")
        page.close()
        turns = _turns(browser, stack)
        blurred = _blurred(browser, stack)
        browser.close()
    return [
        Figure(f"desk, an edit of {LAYERS} layers shows, median", median(edits), "ms", 50.0),
        Figure("desk, the same, 95 of 100", quantiles(edits, n=20)[18], "ms"),
        Figure("desk, a drag on the plan is drawn, median", median(moves), "ms", 50.0),
        Figure(
            "desk, the same, share of moves within 50 ms",
            100 * sum(delay <= 50 for delay in moves) / len(moves),
            "%",
        ),
        Figure("desk, tasks of more than 50 ms while dragging", len(long), "", 0.0),
        Figure("desk, an effect's slider shows, median", median(turns), "ms", 100.0),
        Figure("desk, the same, 95 of 100", quantiles(turns, n=20)[18], "ms", 100.0),
        Figure("desk, dusk out of focus in the viewfinder over all sharp", blurred, "", 1.2),
    ]


def _large_shot(stack: Stack) -> int:
    """Keep a shot of the demo's layers, many times over; returns its number."""
    engine, sessions = connect(stack.environment["VISTALINE_DATABASE"])
    with sessions() as session:
        row = session.get_one(ShotRow, 1)
        demo = shots.current_shot(session, row)
        layers = tuple(
            each.evolve(id="", name=f"{each.name} {n}", distance=1.2 + 0.2 * n)
            for n, each in ((n, demo.layers[n % len(demo.layers)]) for n in range(LAYERS))
        )
        frames = SECONDS * 24
        route = Route(
            framings=(Framing(frame=0), Framing(frame=frames - 1, position=(0.1, 0, -0.4)))
        )
        large: Shot = demo.evolve(
            name="Sixty layers",
            frame=demo.frame.evolve(duration=frames),
            layers=layers,
            cameras=(Camera(route=route),),
        )
        person = session.query(Person).first()
        made = shots.create_shot(session, row.project_id, large, person.id if person else None)
        session.commit()
        number = made.id
    engine.dispose()
    return number


def _blurred(browser: Browser, stack: Stack) -> float:
    """Return what a frame of the demo's dusk costs to draw, over the same with everything sharp."""
    engine, sessions = connect(stack.environment["VISTALINE_DATABASE"])
    with sessions() as session:
        row = session.get_one(ShotRow, 1)
        dusk = shots.current_shot(session, row)
        focusing = dusk.camera.focusing.evolve(everything_sharp=True)
        sharp = shots.create_shot(
            session, row.project_id, dusk.with_camera(focusing=focusing), None
        )
        session.commit()
        numbers = (1, sharp.id)
    engine.dispose()
    pages = []
    for number in numbers:
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=stack.address)
        sign_in(page)
        open_bench(page, number, "direct")
        page.wait_for_selector(".gate[data-blur=all]")
        page.wait_for_timeout(8000)  # until the points of the lens are gathered
        pages.append(page)
    turns = [[page.evaluate(_DRAWN) for page in pages] for _ in range(ROUNDS)]
    for page in pages:
        page.close()
    blurred, plain = (median(times) for times in zip(*turns, strict=True))
    return blurred / plain


def _turns(browser: Browser, stack: Stack) -> list[float]:
    """Return delays of the slider of an effect on the demo's dusk."""
    page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=stack.address)
    sign_in(page)
    open_bench(page, 1, "dress")
    page.click("[data-tab=finish]")
    page.click("details[data-unfolds='Add Softness'] > summary")
    page.click("text=+ Vignette")
    slider = page.locator("input[type=range][name=strength]")
    slider.scroll_into_view_if_needed()
    page.wait_for_timeout(2000)
    page.evaluate(_TURNS)
    box = slider.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 20, box["y"] + box["height"] / 2)
    page.mouse.down()
    for n in range(MOVES):
        page.mouse.move(box["x"] + 20 + 1.5 * n, box["y"] + box["height"] / 2)
        page.wait_for_timeout(120)
    page.mouse.up()
    turns: list[float] = page.evaluate("() => window.turns")
    page.close()
    return turns


def _choose(page: Page) -> tuple[float, float]:
    """Choose a bar in the middle of the plan; returns where it is."""
    page.click("[data-do=fit]")
    bar = page.locator("[data-part=plan-above] .bar .grip").nth(LAYERS // 2)
    box = bar.bounding_box()
    sheet = page.locator("[data-part=plan-above]").bounding_box()
    assert box is not None and sheet is not None
    x, y = sheet["x"] + sheet["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.click(x, y)
    page.wait_for_selector("#v-distance")
    page.wait_for_timeout(1500)
    return x, y


def _edits(page: Page) -> list[float]:
    _choose(page)
    page.locator("[data-part=plan-above]").focus()
    page.evaluate(_EDITS)
    for n in range(EDITS):
        page.keyboard.press("ArrowUp" if n % 2 else "ArrowDown")
        page.wait_for_timeout(2500)
    return sorted(page.evaluate("() => window.edits"))


def _moves(page: Page) -> list[float]:
    x, y = _choose(page)
    page.evaluate(_MOVES)
    page.evaluate(_LONG)
    page.mouse.move(x, y)
    page.mouse.down()
    for n in range(MOVES):
        page.mouse.move(x, y - 6 - n)
        page.wait_for_timeout(16)
    page.wait_for_timeout(500)
    page.mouse.up()
    return sorted(page.evaluate("() => window.moves"))
