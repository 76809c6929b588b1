// Renders that end while somebody does something else: the title of the page says so until the page
// is looked at, and the system does, if it was allowed to.
const ENDED = { done: "done", failed: "did not work" };
const title = document.title;
const known = new Map(); // number of a render -> its state
let ended = 0;

function look() {
  for (const { dataset } of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-job]"))) {
    const before = known.get(dataset.job);
    known.set(dataset.job, dataset.state);
    if (before && before !== dataset.state && ["waiting", "running"].includes(before) && ENDED[dataset.state]) tell(dataset);
  }
  const running = [...known.values()].filter((state) => state === "running").length;
  for (const ask of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-tell-when-done]"))) {
    ask.hidden = !("Notification" in window) || Notification.permission !== "default" || !running;
  }
}

function tell({ called, state }) {
  if (!document.hidden && document.hasFocus()) return;
  ended += 1;
  document.title = `(${ended}) ${called}: ${ENDED[state]}`;
  if ("Notification" in window && Notification.permission === "granted") new Notification(`${called}: ${ENDED[state]}`, { tag: "vistaline" });
}

function seen() {
  if (document.hidden) return;
  ended = 0;
  document.title = title;
}

document.addEventListener("htmx:after:swap", look);
document.addEventListener("visibilitychange", seen);
window.addEventListener("focus", seen);
document.addEventListener("click", async (event) => {
  if (!event.target.closest("[data-tell-when-done]")) return;
  await Notification.requestPermission();
  look();
});
look();
