// Starts what a page asks for and serves what every page has: dialogs, notices, the table's colour.
import { Curve, Tones } from "../sheet/curve.js";
import { Desk } from "../desk/desk.js";
import { Ease } from "../direct/ease.js";
import { FilmDesk } from "../film/film.js";
import { disposeGone, mountAll } from "./mount.js";
import { Order } from "./order.js";
import { Moves } from "../direct/moves.js";
import { Preparing } from "../sheet/preparing.js";
import { PaintedPlate, Separating } from "../sheet/separating.js";
import { Setting } from "./setting.js";
import { Ticks } from "../pictures/ticks.js";
import { notice } from "./notice.js";
import "./commands.js";
import "./hints.js";
import "./idle.js";
import "./morphing.js";
import "./tips.js";
import "./turns.js";
import "../output/told.js";
import { silenced } from "./keyboard.js";
import { queue } from "./queue.js";
import { Upload } from "./upload.js";

const kinds = { Curve, Desk, Ease, FilmDesk, Moves, Order, PaintedPlate, Preparing, Separating, Setting, Ticks, Tones, Upload };
// A page that only shows a document counts its edits from the version it came with.
const at = /** @type {any} */ (document.getElementById("at"));
if (at?.dataset.edited) queue.reached(at.elements.version.value);
mountAll(document.body, kinds);
document.addEventListener("htmx:after:swap", () => {
  disposeGone();
  mountAll(document.body, kinds);
});
document.addEventListener("htmx:error", () => notice("The server does not answer. Nothing was lost; try again shortly."));
// What was done, but will take effect later, is said beside the answer.
document.addEventListener("htmx:after:request", ({ detail: { ctx } }) => {
  const { closes } = ctx.sourceElement.dataset;
  if (closes && ctx.response?.status < 400) document.getElementById(closes).close();
  if (at?.dataset.edited === "reload" && "edited" in ctx.sourceElement.dataset && ctx.response?.status < 400) location.reload();
  const said = ctx.response?.headers.get("X-Notice");
  if (said) notice(said, "info");
});

document.addEventListener("click", (event) => {
  const at = (selector) => event.target.closest(selector);
  if (at("[data-dismiss]")) at(".notice-card").remove();
  if (at("[data-reload]")) location.reload();
  if (at("[data-help]")) document.getElementById("help").showModal();
  if (at("[data-open]")) document.getElementById(at("[data-open]").dataset.open)?.showModal();
  if (at("[data-clicks]")) /** @type {any} */ (document.querySelector(at("[data-clicks]").dataset.clicks)).click();
  if (at("[data-close]")) document.getElementById(at("[data-close]").dataset.close).close();
  if (at("[data-tick-all]")) {
    const boxes = [...at("form").querySelectorAll("input[type=checkbox]")];
    const on = boxes.some((box) => !box.checked);
    for (const box of boxes) box.checked = on;
  }
  if (at("[data-theme-switch]")) {
    const next = document.documentElement.dataset.bsTheme === "dark" ? "light" : "dark";
    document.documentElement.dataset.bsTheme = next;
    localStorage.setItem("vistaline-table", next);
  }
});
document.addEventListener("orders", (/** @type {any} */ { target, detail }) => {
  // A list that has a form for it is put in order by that.
  const form = /** @type {any} */ (document.getElementById(target.closest("[data-order-form]")?.dataset.orderForm));
  if (!form) return;
  for (const name of ["thing", "to"]) form.elements[name].value = detail[name];
  form.requestSubmit();
});
document.addEventListener("submit", (event) => {
  // A value's form is sent when the value changes; Enter must not send it once more as a page.
  if (event.target.hasAttribute("hx-post") && !event.target.hasAttribute("action")) event.preventDefault();
});
document.addEventListener("change", (event) => {
  if ("fills" in event.target.dataset && event.target.value) {
    // A usual size fills the two fields after it.
    const fields = event.target.closest(".field").nextElementSibling.querySelectorAll("input");
    event.target.value.split("x").forEach((side, n) => (fields[n].value = side));
  }
  const reveals = event.target.dataset.reveals;
  if (reveals) document.getElementById(reveals).hidden = event.target.value !== (event.target.dataset.revealsOn ?? "own");
});
// The browser's own steps start from the value the page came with, and refuse what lies between.
function nudge(event, field) {
  const step = Number(field.dataset.step) * (event.shiftKey ? 10 : 1) * (event.key === "ArrowUp" ? 1 : -1);
  const value = Number(field.value) + step;
  const bounded = Math.min(Math.max(value, field.min === "" ? -Infinity : Number(field.min)), field.max === "" ? Infinity : Number(field.max));
  field.value = Number(bounded.toFixed(4));
  for (const kind of ["input", "change"]) field.dispatchEvent(new Event(kind, { bubbles: true }));
  event.preventDefault();
}
document.addEventListener("keydown", (event) => {
  const field = event.target.closest?.("input[data-step]");
  if (field && (event.key === "ArrowUp" || event.key === "ArrowDown")) return nudge(event, field);
  if (event.key === "?" && !silenced(event) && !event.target.closest("input, textarea")) document.getElementById("help").showModal();
});
