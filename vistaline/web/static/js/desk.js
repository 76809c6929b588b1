// The desk of Arrange and Direct: one scene, its views, the keyboard.
import { notice } from "./notice.js";
import { Plan } from "./plan.js";
import { Route } from "./route.js";
import { Scene } from "./scene.js";
import { Transport } from "./transport.js";
import { Viewfinder } from "./viewfinder.js";

export class Desk {
  constructor(element) {
    this.element = element;
    const bench = element.dataset.bench;
    this.scene = new Scene(element.dataset.shot);
    this.transport = new Transport(element, this.scene);
    this.viewfinder = new Viewfinder(element, this.scene, bench);
    this.plan = new Plan(element, this.scene, bench);
    if (bench === "direct") this.route = new Route(element, this.scene, this.transport);
    this.#listen();
    this.#showGuides(localStorage.getItem("vistaline-guides") === "on");
    this.scene.load().then(() => {
      if (new URLSearchParams(location.search).has("play")) this.#playWhenReady();
    });
  }

  #listen() {
    const { scene, element } = this;
    document.body.addEventListener("shotchange", ({ detail }) => {
      // At once, so that the next edit is made against this version even before the scene is here.
      scene.reached(detail.version);
      scene.load();
    });
    scene.addEventListener("change", () => this.#numbers());
    scene.addEventListener("choose", () => this.#pressed());
    element.addEventListener("click", (event) => {
      const card = event.target.closest(".depth-card");
      if (card) scene.choose({ layer: card.dataset.layer });
      const move = event.target.closest("[data-move]");
      if (move) this.#choose(move.dataset.move);
      if (event.target.closest('[data-do="add-framing"]')) this.#addFraming();
      if (event.target.closest('[data-do="guides"]')) this.#showGuides(!this.viewfinder.guides);
    });
    element.addEventListener("easechange", ({ detail }) => {
      const [x1, y1, x2, y2] = detail.points.map((value) => value.toFixed(3));
      scene.edit("set_ease", { framing: detail.framing, ease: "own", x1, y1, x2, y2 });
    });
    this.onKey = (event) => this.#key(event);
    document.addEventListener("keydown", this.onKey);
  }

  #showGuides(on) {
    localStorage.setItem("vistaline-guides", on ? "on" : "off");
    this.element.querySelector('[data-do="guides"]').setAttribute("aria-pressed", String(on));
    this.viewfinder.showGuides(on);
  }

  #playWhenReady() {
    if (this.viewfinder.ready) this.transport.play();
    else if (this.element.isConnected) setTimeout(() => this.#playWhenReady(), 60);
  }

  #choose(move) {
    this.viewfinder.move = move;
    for (const button of this.element.querySelectorAll("[data-move]")) button.setAttribute("aria-pressed", String(button.dataset.move === move));
  }

  #addFraming() {
    const { scene } = this;
    const at = scene.frame;
    if (scene.data.framings.some((framing) => framing.frame === at)) {
      return notice(`There is a framing at frame ${at} already. Move the playhead first.`);
    }
    const index = scene.data.framings.filter((framing) => framing.frame < at).length;
    scene.edit("add_framing", { frame: at }).then(() => scene.choose({ framing: index }));
  }

  #pressed() {
    for (const card of this.element.querySelectorAll(".depth-card")) card.setAttribute("aria-pressed", String(card.dataset.layer === this.scene.layer));
  }

  /** The numbers of what is being dragged, as the drag goes. */
  #numbers() {
    const { shown, layer, framing } = this.scene;
    if (!shown) return;
    const values = this.element.dataset.bench === "arrange" ? shown.values.layers[layer] : shown.values.framings[framing];
    for (const field of this.element.querySelectorAll("#inspector [data-live]")) {
      const value = values?.[field.dataset.live];
      if (value !== undefined) field.value = Number(value.toFixed(3));
    }
  }

  #key(event) {
    if (event.target.closest("input, select, textarea, dialog")) return;
    const { scene, transport } = this;
    if (!scene.data) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      const which = event.shiftKey ? "redo" : "undo";
      return document.querySelector(`[data-history="${which}"]:not(:disabled)`)?.click();
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const onPlan = event.target.closest('[data-part="plan"]');
    const far = event.shiftKey ? 10 : 1;
    const deeds = {
      " ": () => !event.target.closest("button, summary, a") && (transport.toggle(), true),
      ArrowLeft: () => (transport.step(-far), true),
      ArrowRight: () => (transport.step(far), true),
      Home: () => (transport.step(-Infinity), true),
      End: () => (transport.step(scene.data.duration), true),
      o: () => (transport.toggleLoop(), true),
      g: () => (this.#showGuides(!this.viewfinder.guides), true),
      Escape: () => (scene.choose({ layer: "" }), true),
    };
    if (this.route) {
      for (const [key, move] of [["t", "truck"], ["d", "dolly"], ["p", "pan"], ["r", "roll"]]) deeds[key] = () => (this.#choose(move), true);
      deeds.a = () => (this.#addFraming(), true);
      const index = Number(event.key) - 1;
      if (index >= 0 && index < scene.data.framings.length) {
        deeds[event.key] = () => {
          transport.pause();
          scene.choose({ framing: index });
          scene.go(scene.data.framings[index].frame);
          return true;
        };
      }
    }
    if (onPlan && (event.key === "ArrowUp" || event.key === "ArrowDown")) return;
    if (deeds[event.key]?.()) event.preventDefault();
  }

  snapshot(width, height, frame) {
    return this.viewfinder.snapshot(width, height, frame);
  }

  dispose() {
    document.removeEventListener("keydown", this.onKey);
    for (const view of [this.viewfinder, this.plan, this.route]) view?.dispose();
  }
}
