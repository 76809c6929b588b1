// Whether the page is at rest: nothing was asked for that is not answered yet, and whatever waits a
// moment before it asks (a value that is still being typed, a playhead that just stopped) has done
// so, and the page was laid out since. `<html data-idle>` says it, to tests and to whoever drives the
// page by a script.

const QUIET = 260; // ms: longer than anything here waits before it asks
const html = document.documentElement;
let underWay = 0;
let timer = 0;
let stirred = 0;

function stir() {
  html.dataset.idle = "false";
  stirred += 1;
  clearTimeout(timer);
  timer = setTimeout(() => laidOut(stirred), QUIET);
}

/** At rest, if nothing stirs until the next frame has been laid out: sizes are watched there. */
function laidOut(since) {
  requestAnimationFrame(() => setTimeout(() => {
    if (!underWay && stirred === since) html.dataset.idle = "true";
  }));
}

const ask = window.fetch.bind(window);
window.fetch = async (...request) => {
  underWay += 1;
  stir();
  try {
    return await ask(...request);
  } finally {
    underWay -= 1;
    stir();
  }
};
for (const kind of ["pointerdown", "pointerup", "keydown", "keyup", "input", "change", "click", "wheel"]) {
  document.addEventListener(kind, stir, { capture: true, passive: true });
}
for (const kind of ["sheetchange", "masksknown", "shotchange", "filmchange", "picturechange", "chosen", "htmx:after:swap"]) document.addEventListener(kind, stir);
stir();
