// All commands of the page, to be searched: every button and link that can be pressed now, with
// what its title says and its shortcut. Nothing is listed here that is not on the page.
import { silenced, taken } from "./keyboard.js";

const PRESSED = ":is(.top, .desk, .sheet) :is(button, a[href], summary):not(:disabled, [data-tab] *)";
const dialog = /** @type {HTMLDialogElement | null} */ (document.getElementById("commands"));

/** What is said of one: its words, what it does, its shortcut, and where it is. */
function told(element) {
  const title = element.title || element.getAttribute("aria-label") || "";
  const keyed = title.match(/ \(((?:Ctrl |Shift |Alt )*[^\s()]{1,6})\)$/);
  const kbd = element.querySelector("kbd")?.textContent.trim();
  const label = (element.getAttribute("aria-label") || element.textContent).replace(kbd ?? "", "").replace(/\s+/g, " ").trim();
  const about = title === label ? "" : title.replace(keyed?.[0] ?? "", "");
  const where = element.closest("[aria-label]:is(section, nav, aside)")?.getAttribute("aria-label") ?? (element.closest(".inspector") ? "Panel" : "");
  return { element, label, about, key: kbd ?? keyed?.[1] ?? "", where };
}

class Commands {
  constructor() {
    this.field = dialog.querySelector("input");
    this.list = dialog.querySelector("ol");
    this.field.addEventListener("input", () => this.#show());
    dialog.addEventListener("keydown", (event) => this.#key(event));
    this.list.addEventListener("click", (event) => this.#do(/** @type {any} */ (event.target).closest("li")));
  }

  open() {
    const seen = new Set();
    this.all = [...document.querySelectorAll(PRESSED)]
      .filter((element) => /** @type {any} */ (element).checkVisibility?.({ contentVisibilityAuto: true }) || element.closest("details:not([open])"))
      .filter((element) => !element.closest("[hidden], dialog"))
      .map(told)
      .filter(({ label, where }) => label.length > 1 && !seen.has(`${where} ${label}`) && seen.add(`${where} ${label}`));
    this.field.value = "";
    dialog.showModal();
    this.#show();
  }

  #show() {
    const wanted = this.field.value.toLowerCase().split(/\s+/).filter(Boolean);
    const rank = ({ label }) => (wanted.length && label.toLowerCase().startsWith(wanted[0]) ? 0 : 1);
    this.found = this.all
      .filter(({ label, about, where }) => wanted.every((word) => `${label} ${about} ${where}`.toLowerCase().includes(word)))
      .sort((one, other) => rank(one) - rank(other));
    this.list.replaceChildren(...this.found.map((each, n) => this.#line(each, n)));
    dialog.querySelector(".empty").toggleAttribute("hidden", this.found.length > 0);
    this.#mark(0);
  }

  #line({ label, about, key, where }, n) {
    const line = document.createElement("li");
    Object.assign(line, { id: `command-${n}`, role: "option" });
    const put = (tag, words, kind) => {
      const part = document.createElement(tag);
      Object.assign(part, { textContent: words, className: kind });
      line.append(part);
    };
    put("b", label, "");
    put("span", [about, where].filter(Boolean).join(" · "), "muted");
    if (key) put("kbd", key, "");
    return line;
  }

  #mark(n) {
    this.at = Math.min(Math.max(n, 0), this.found.length - 1);
    [...this.list.children].forEach((line, k) => line.setAttribute("aria-selected", String(k === this.at)));
    this.list.children[this.at]?.scrollIntoView({ block: "nearest" });
    this.field.setAttribute("aria-activedescendant", `command-${this.at}`);
  }

  #key(event) {
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 8, PageUp: -8 }[event.key];
    if (step) {
      event.preventDefault();
      this.#mark(this.at + step);
    }
    if (event.key !== "Enter") return;
    event.preventDefault();
    this.#do(this.list.children[this.at]);
  }

  #do(line) {
    if (!line) return;
    const { element } = this.found[[...this.list.children].indexOf(line)];
    dialog.close();
    const details = element.closest("details");
    if (details && element.tagName !== "SUMMARY") details.open = true;
    element.click();
    if (details?.matches(".view-menu, .drop-down") && element.tagName !== "SUMMARY") details.open = false;
  }
}

const commands = dialog && new Commands();
document.addEventListener("keydown", (event) => {
  if (event.key !== "/" || event.ctrlKey || event.metaKey || event.altKey || silenced(event) || taken(event)) return;
  event.preventDefault();
  commands?.open();
});
document.addEventListener("click", ({ target }) => {
  if (/** @type {any} */ (target).closest("[data-commands]")) commands?.open();
});
