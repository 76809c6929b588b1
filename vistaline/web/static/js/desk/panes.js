// How much room each pane of the desk has: their edges are dragged, or moved by arrow keys; the
// viewfinder can have all of it. Remembered in this browser.
import { follow } from "../page/drag.js";

const NAME = "vistaline-panes";
const STEP = 24; // pixels an arrow key moves an edge
// Which side of the edge the pane is on, and how large it may be.
const PANES = {
  plan: { property: "--plan", axis: "x", least: 170, most: 900 },
  side: { property: "--side", axis: "x", least: 210, most: 560 },
  floor: { property: "--floor-more", axis: "y", least: -90, most: 360 },
};

export class Panes {
  constructor(desk) {
    this.desk = desk;
    this.kept = JSON.parse(localStorage.getItem(NAME) ?? "{}");
    for (const edge of desk.querySelectorAll("[data-pane]")) {
      edge.addEventListener("pointerdown", (event) => this.#drag(event, edge));
      edge.addEventListener("dblclick", () => this.#set(edge, null));
      edge.addEventListener("keydown", (event) => this.#key(event, edge));
    }
    this.button = desk.querySelector('[data-do="large"]');
    this.button.addEventListener("click", () => this.toggleLarge());
    this.#show();
  }

  toggleLarge() {
    this.kept.large = !this.kept.large;
    this.#keep();
  }

  #size({ dataset: { pane } }) {
    const area = this.desk.querySelector({ plan: ".plan", side: ".inspector", floor: ".floor" }[pane]).getBoundingClientRect();
    return pane === "floor" ? (this.kept.floor ?? 0) : area.width;
  }

  #set(edge, size) {
    const { pane } = edge.dataset;
    const { least, most } = PANES[pane];
    if (size === null) delete this.kept[pane];
    else this.kept[pane] = Math.round(Math.min(most, Math.max(least, size)));
    this.#keep();
  }

  #keep() {
    localStorage.setItem(NAME, JSON.stringify(this.kept));
    this.#show();
  }

  #show() {
    for (const [pane, { property }] of Object.entries(PANES)) {
      if (this.kept[pane] === undefined) this.desk.style.removeProperty(property);
      else this.desk.style.setProperty(property, `${this.kept[pane]}px`);
    }
    for (const edge of this.desk.querySelectorAll("[data-pane]")) {
      const { least, most } = PANES[edge.dataset.pane];
      for (const [name, value] of [["valuemin", least], ["valuemax", most], ["valuenow", Math.round(this.#size(edge))]]) edge.setAttribute(`aria-${name}`, String(value));
    }
    this.desk.classList.toggle("large", Boolean(this.kept.large));
    this.button.setAttribute("aria-pressed", String(Boolean(this.kept.large)));
  }

  // A pane grows when its edge goes away from it: to the left, or up.
  #drag(event, edge) {
    const { axis } = PANES[edge.dataset.pane];
    const place = (e) => (axis === "x" ? e.clientX : e.clientY);
    const [from, size] = [place(event), this.#size(edge)];
    event.preventDefault();
    follow(edge, event, {
      move: (now) => this.#set(edge, size + from - place(now)),
      end: (now) => this.#set(edge, size + from - place(now)),
      cancel: () => this.#set(edge, size),
    });
  }

  #key(event, edge) {
    const way = { ArrowLeft: ["x", 1], ArrowRight: ["x", -1], ArrowUp: ["y", 1], ArrowDown: ["y", -1] }[event.key];
    if (!way || way[0] !== PANES[edge.dataset.pane].axis) return;
    event.preventDefault();
    this.#set(edge, this.#size(edge) + Number(way[1]) * STEP);
  }
}
