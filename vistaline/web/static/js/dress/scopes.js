// Scopes of the frame in sight, or of the chosen layer alone: measured by the server, as it is rendered.
import { svg } from "../page/svg.js";

const REST = 250; // ms without a change after which they are asked for

export class Scopes {
  constructor(desk, scene) {
    this.desk = desk;
    this.scene = scene;
    for (const name of ["change", "frame"]) scene.addEventListener(name, () => this.later());
    desk.addEventListener("toggle", ({ target }) => target.dataset.unfolds === "Scopes" && this.later(), true);
    desk.addEventListener("change", ({ target }) => target.closest("[data-part=scopes]") && this.later());
  }

  get #part() {
    const part = this.desk.querySelector("[data-part=scopes]");
    return part?.closest("details")?.open ? part : null;
  }

  later() {
    clearTimeout(this.waiting);
    this.waiting = setTimeout(() => this.show(), REST);
  }

  async show() {
    const { scene } = this;
    const part = this.#part;
    if (!part || !scene.data || scene.dragging) return;
    const kind = part.querySelector("[name=scope]").value;
    const query = new URLSearchParams({ n: String(scene.frame), as: scene.as, scope: kind, layer: part.querySelector("[name=of]").value });
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const answer = await fetch(`${scene.address}/scope.json?${query}`, { headers: { Accept: "application/json" } }).catch(() => null);
    const body = answer?.ok ? await answer.json() : null;
    if (turn !== this.turn || !this.#part) return;
    const here = this.#part;
    here.querySelector("[data-part=scope-words]").textContent = body ? body.words : "It could not be measured. Try again.";
    if (!body) return;
    here.querySelector("img").src = body.image;
    const lines = body.lines.map(({ at, name }) => [svg("line", { x1: 0, x2: 100, y1: at, y2: at }), svg("text", { x: 1, y: at - 1 }, name)]).flat();
    const spots = body.spots.map(({ x, y, name }) => [svg("rect", { x: x - 2, y: y - 2, width: 4, height: 4 }), svg("text", { x: x + 3, y: y + 1.5 }, name)]).flat();
    here.querySelector("svg").replaceChildren(...lines, ...spots);
  }
}
