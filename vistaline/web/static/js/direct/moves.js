// The shelf of moves: shown in the viewfinder while the pointer rests on one, kept when asked.
import { viewOf } from "../page/mount.js";
import { notice } from "../page/notice.js";
import { unpack } from "../desk/tracks.js";

export class Moves {
  constructor(element) {
    this.element = element;
    const { scene, viewfinder } = viewOf(document.querySelector('[data-view="Desk"]'));
    this.scene = scene;
    this.viewfinder = viewfinder;
    viewfinder.markPoint(true, () => this.#pick());
    this.#pick();
    element.addEventListener("pointerover", (event) => this.#show(event.target.closest("details") ?? this.open));
    element.addEventListener("pointerleave", () => this.#stop());
    element.addEventListener("focusin", (event) => this.#show(event.target.closest("details")));
    element.addEventListener("input", (event) => {
      const output = event.target.closest("label")?.querySelector("output");
      if (output) output.textContent = `${Number(event.target.value).toFixed(2)} ${output.dataset.unit}`;
      this.shown = null;
      this.#show(event.target.closest("details"));
    });
    element.addEventListener("click", (event) => event.target.closest('[data-do="use-move"]') && this.#use(event.target.closest("details")));
  }

  get open() {
    return this.element.querySelector("details[open]");
  }

  /** The point is one of what is seen there. */
  async #pick() {
    const { x, y } = this.viewfinder.point;
    this.layer = this.scene.data ? ((await this.scene.pick(x, y)) ?? "") : "";
    this.#show(this.open);
  }

  #wish(details) {
    const values = {};
    for (const slider of details.querySelectorAll("input")) values[slider.name] = Number(slider.value);
    const { x, y } = this.viewfinder.point;
    return { move: details.dataset.moveName, x, y, layer: this.layer ?? "", values: JSON.stringify(values), frame: this.scene.frame };
  }

  async #show(details) {
    if (!details) return this.#stop();
    const wish = JSON.stringify(this.#wish(details));
    if (this.shown === wish) return;
    this.shown = wish;
    this.wished = this.#wish(details);
    this.asking ??= this.#ask();
  }

  async #ask() {
    while (this.wished) {
      const wish = this.wished;
      this.wished = null;
      const answer = await this.scene.ask(this.element.dataset.clip, wish);
      const body = await answer.json().catch(() => null);
      if (!answer.ok) notice(body?.error ?? "The move could not be shown. Try again.");
      else if (this.shown) this.#play(unpack(body, this.scene.data));
    }
    this.asking = null;
  }

  #play(clip) {
    clearInterval(this.playing);
    let n = 0;
    const step = () => {
      this.viewfinder.look(clip.frames[n]);
      n = (n + 1) % clip.frames.length;
    };
    // Slow moves are shown somewhat faster than they will be: to choose one is not to judge it.
    this.playing = setInterval(step, (Math.min(clip.seconds, 3) * 1000) / clip.frames.length);
    step();
  }

  #stop() {
    clearInterval(this.playing);
    this.playing = null;
    this.shown = this.wished = null;
    this.viewfinder.look(null);
  }

  #use(details) {
    const wish = this.#wish(details);
    this.#stop();
    this.scene.edit("apply_move", wish).then(() => this.scene.go(0));
  }

  dispose() {
    this.#stop();
    this.viewfinder.markPoint(false);
  }
}
