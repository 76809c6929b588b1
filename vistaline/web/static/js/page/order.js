// A list whose rows are dragged to another place, or moved with Alt and an arrow key.
import { drag } from "./drag.js";

export class Order {
  constructor(list) {
    this.list = list;
    list.addEventListener("pointerdown", (event) => event.target.closest(".grip") && this.#drag(event));
    list.addEventListener("keydown", (event) => this.#key(event));
  }

  /** The rows among which one may move: lamps among lamps. */
  #among(row) {
    return [...this.list.children].filter(({ dataset }) => dataset.list === row.dataset.list);
  }

  #drag(event) {
    const row = event.target.closest("[data-of]");
    const rows = this.#among(row);
    const from = rows.indexOf(row);
    const middles = rows.map((each) => each.getBoundingClientRect()).map(({ top, height }) => top + height / 2);
    let to = from;
    row.classList.add("dragged");
    const move = ({ dy, event: now }) => {
      row.style.transform = `translateY(${dy}px)`;
      to = middles.filter((middle, n) => n !== from && middle < now.clientY).length;
    };
    const stop = () => {
      row.classList.remove("dragged");
      row.style.transform = "";
    };
    drag(this.list, event, { move, end: () => (stop(), to !== from && this.#put(row, to)), cancel: stop });
  }

  #key(event) {
    const step = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (!step || !event.altKey) return;
    const row = event.target.closest("[data-of]");
    const to = this.#among(row).indexOf(row) + step;
    if (to < 0 || to >= this.#among(row).length) return;
    event.preventDefault();
    event.stopPropagation();
    this.#put(row, to);
  }

  #put(row, to) {
    row.dispatchEvent(new CustomEvent("orders", { bubbles: true, detail: { thing: row.dataset.of, to } }));
  }
}
