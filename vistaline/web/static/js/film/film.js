// The film page: plays rendered frames, and lets the pieces in the row be chosen, moved and cut.
import { drag } from "../page/drag.js";
import { silenced, taken } from "../page/keyboard.js";
import { notice } from "../page/notice.js";
import { queue } from "../page/queue.js";
import { Proof } from "../desk/proof.js";
import { Transport } from "../desk/transport.js";

const EDGE = 8; // px within which an end is grasped

/** What plays and proofs ask of a scene: which frame is in sight, of how many. */
class FilmScene extends EventTarget {
  constructor(address) {
    super();
    this.address = address;
    this.frame = 0;
    this.as = "film";
    this.shown = null;
  }

  async load() {
    const asked = (this.asked = (this.asked ?? 0) + 1);
    const answer = await fetch(`${this.address}/film.json`);
    if (!answer.ok) return notice("The film could not be fetched. Reload the page.");
    const data = await answer.json();
    if (asked !== this.asked) return;
    queue.reached(data.version);
    // What proofs are kept by: the film's version, and those of its shots.
    this.data = { ...data, version: data.kept };
    this.frame = Math.max(0, Math.min(this.frame, data.duration - 1));
    this.dispatchEvent(new Event("change"));
    this.dispatchEvent(new Event("frame"));
  }

  go(frame) {
    if (!this.data) return;
    this.frame = Math.max(0, Math.min(this.data.duration - 1, Math.round(frame)));
    this.dispatchEvent(new Event("frame"));
    this.dispatchEvent(new Event("painted"));
  }

  piece(id) {
    return this.data?.pieces.find((each) => each.id === id);
  }
}

export class FilmDesk {
  constructor(element) {
    this.element = element;
    this.part = (name) => element.querySelector(`[data-part="${name}"]`);
    this.scene = new FilmScene(element.dataset.film);
    this.chosen = "";
    this.gate = this.part("gate");
    this.transport = new Transport(element, this.scene);
    this.proof = new Proof(element, this.scene, this, this.transport);
    this.#listen();
    this.refresh();
    this.scene.load().then(() => this.proof.toggle());
  }

  /** Where the picture lies in the gate, in pixels. */
  get place() {
    const { data } = this.scene;
    const { width, height } = this.gate.getBoundingClientRect();
    const scale = Math.min(width / data.width, height / data.height);
    const wide = data.width * scale, high = data.height * scale;
    return { x: (width - wide) / 2, y: (height - high) / 2, width: wide, height: high };
  }

  /** There is nothing under the proof that would have to be drawn. */
  draw() {}

  #listen() {
    const { scene, element } = this;
    const gone = new AbortController();
    this.gone = gone;
    const { signal } = gone;
    document.body.addEventListener("filmchange", () => scene.load(), { signal });
    scene.addEventListener("frame", () => this.#head());
    scene.addEventListener("change", () => {
      this.part("veil").hidden = scene.data.duration > 0;
      this.part("proof-note").hidden = !scene.data.duration;
      if (!scene.data.duration) this.part("proof").hidden = true;
      this.#head();
    });
    new ResizeObserver(() => scene.data?.duration && scene.dispatchEvent(new Event("frame"))).observe(this.gate);
    element.addEventListener("pointerdown", (event) => {
      const piece = event.target.closest("[data-piece]");
      if (piece && event.button === 0) this.#press(event, piece);
    });
    element.addEventListener("click", (event) => {
      const piece = event.target.closest("[data-piece]");
      if (piece && !event.detail) this.choose(piece.dataset.piece); // by the keyboard
      if (event.target.closest('[data-do="begin-here"]')) this.#trimHere("first");
      if (event.target.closest('[data-do="end-here"]')) this.#trimHere("last");
    });
    document.addEventListener("keydown", (event) => this.#key(event), { signal });
  }

  choose(id) {
    this.chosen = this.chosen === id ? "" : id;
    document.getElementById("chosen").elements.piece.value = this.chosen;
    document.getElementById("inspector").scrollTop = 0;
    this.#mark();
    document.body.dispatchEvent(new CustomEvent("chosen"));
  }

  /** The strip is drawn by the server; where its pieces lie is set here, as styles may not be inline. */
  refresh() {
    for (const place of this.element.querySelectorAll(".strip-place")) {
      const { left, wide } = place.dataset;
      Object.assign(place.style, { left: `${left * 100}%`, width: `${wide * 100}%` });
    }
    const strip = this.part("strip");
    for (const join of this.element.querySelectorAll(".join")) {
      const frames = join.dataset.frames / Number(strip.dataset.all);
      const whole = join.parentElement.dataset.wide;
      const half = join.classList.contains("join-dip") || join.classList.contains("join-swish");
      Object.assign(join.style, { width: `${((half ? frames / 2 : frames) / whole) * 100}%` });
    }
    this.#mark();
    this.#head();
  }

  #mark() {
    if (this.chosen && !this.element.querySelector(`[data-piece="${this.chosen}"]`)) {
      this.chosen = "";
      document.getElementById("chosen").elements.piece.value = "";
    }
    for (const piece of this.element.querySelectorAll("[data-piece]")) piece.setAttribute("aria-pressed", String(piece.dataset.piece === this.chosen));
  }

  #head() {
    const head = this.part("head");
    const { data, frame } = this.scene;
    if (head && data?.duration) head.style.left = `${(frame / data.duration) * 100}%`;
  }

  #edit(verb, values) {
    return queue.post(`${this.scene.address}/edits/${verb}`, values).then(async (answer) => {
      const said = await answer.json().catch(() => ({}));
      if (!answer.ok) return notice(said.error ?? "That did not work. Nothing was lost; try again.");
      document.body.dispatchEvent(new CustomEvent("filmchange", { detail: said, bubbles: true }));
    });
  }

  #press(event, piece) {
    event.preventDefault();
    piece.focus({ preventScroll: true });
    const box = piece.getBoundingClientRect();
    const { id } = { id: piece.dataset.piece };
    const edge = event.clientX - box.left < EDGE ? "first" : box.right - event.clientX < EDGE ? "last" : "";
    if (edge) return this.#trim(event, piece, edge);
    const strip = this.part("strip").getBoundingClientRect();
    const place = piece.closest(".strip-place");
    drag(piece, event, {
      move: ({ dx }) => {
        place.style.transform = `translateX(${dx}px)`;
        place.classList.add("moving");
      },
      end: ({ event: last }) => {
        place.style.transform = "";
        place.classList.remove("moving");
        // It goes before the first whose middle lies behind the pointer.
        const { pieces, duration } = this.scene.data;
        const at = ((last.clientX - strip.left) / strip.width) * duration;
        const others = pieces.filter((each) => each.id !== id);
        const before = others.findIndex((each) => (each.start + each.stop) / 2 > at);
        const to = before < 0 ? others.length : before;
        if (pieces.findIndex((each) => each.id === id) !== to) this.#edit("move_piece", { piece: id, to });
      },
      cancel: () => {
        place.style.transform = "";
        place.classList.remove("moving");
        this.choose(id);
        this.#goTo(event, strip);
      },
    });
  }

  /** A click on the strip goes to that frame, too. */
  #goTo(event, strip) {
    this.transport.pause();
    this.scene.go(((event.clientX - strip.left) / strip.width) * this.scene.data.duration);
  }

  #trim(event, button, edge) {
    const piece = this.scene.piece(button.dataset.piece);
    const strip = this.part("strip").getBoundingClientRect();
    const said = button.querySelector(".piece-long");
    const words = said.textContent;
    const to = ({ dx }) => {
      const moved = Math.round((dx / strip.width) * this.scene.data.duration * piece.pace);
      const frame = piece[edge] + moved;
      return edge === "first" ? Math.max(0, Math.min(piece.last, frame)) : Math.min(piece.most - 1, Math.max(piece.first, frame));
    };
    drag(button, event, {
      move: (now) => (said.textContent = `${edge === "first" ? "begins with" : "ends with"} ${to(now)}`),
      end: (now) => {
        said.textContent = words;
        if (to(now) !== piece[edge]) this.#edit("trim_piece", { piece: piece.id, [edge]: to(now) });
      },
      cancel: () => {
        said.textContent = words;
        this.choose(piece.id);
      },
    });
  }

  #trimHere(edge) {
    const piece = this.scene.piece(this.chosen);
    const { frame } = this.scene;
    if (!piece || frame < piece.start || frame >= piece.stop) return notice("That frame is of another piece. Go into this one first.");
    const at = Math.min(piece.last, Math.floor(piece.first + (frame - piece.start) * piece.pace));
    this.#edit("trim_piece", { piece: piece.id, [edge]: at });
  }

  #key(event) {
    if (taken(event) || silenced(event) || document.querySelector("dialog[open]")) return;
    const { transport, scene } = this;
    const piece = event.target.closest?.("[data-piece]")?.dataset.piece ?? this.chosen;
    const pieces = scene.data?.pieces ?? [];
    const at = pieces.findIndex((each) => each.id === piece);
    const on = (todo) => {
      event.preventDefault();
      todo();
    };
    if (event.altKey && at >= 0 && event.key === "ArrowLeft" && at > 0) return on(() => this.#edit("move_piece", { piece, to: at - 1 }));
    if (event.altKey && at >= 0 && event.key === "ArrowRight" && at < pieces.length - 1) return on(() => this.#edit("move_piece", { piece, to: at + 1 }));
    if (event.ctrlKey || event.metaKey) {
      if (event.key.toLowerCase() !== "z") return;
      return on(() => /** @type {any} */ (document.querySelector(`[data-history=${event.shiftKey ? "redo" : "undo"}]`)).click());
    }
    if (event.altKey) return;
    const does = {
      " ": () => transport.toggle(),
      ArrowLeft: () => transport.step(event.shiftKey ? -10 : -1),
      ArrowRight: () => transport.step(event.shiftKey ? 10 : 1),
      Home: () => transport.step(-Infinity),
      End: () => transport.step(Infinity),
      PageUp: () => this.#toPiece(-1),
      PageDown: () => this.#toPiece(1),
      o: () => transport.toggleLoop(),
      Delete: () => piece && this.#edit("remove_piece", { piece }),
      Escape: () => this.chosen && this.choose(this.chosen),
    }[event.key];
    if (!does || (event.key === " " && event.target.closest("button, a"))) return;
    on(does);
  }

  /** To where the next piece begins, or this one, or the one before. */
  #toPiece(way) {
    const { frame, data } = this.scene;
    const starts = data.pieces.map((each) => each.start);
    const to = way > 0 ? starts.find((start) => start > frame) : starts.reverse().find((start) => start < frame);
    if (to !== undefined) this.scene.go(to);
  }

  dispose() {
    this.gone.abort();
    this.proof.dispose();
    this.transport.pause();
  }
}
