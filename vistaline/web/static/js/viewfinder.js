// The viewfinder: the live view, the frame's line, what is chosen, and dragging in the picture.
import { drag } from "./drag.js";
import { Stage } from "./stage.js";
import { svg } from "./svg.js";

export class Viewfinder {
  constructor(desk, scene, bench) {
    this.scene = scene;
    this.bench = bench;
    this.gate = desk.querySelector('[data-part="gate"]');
    this.canvas = desk.querySelector('[data-part="canvas"]');
    this.overlay = desk.querySelector('[data-part="overlay"]');
    this.veil = desk.querySelector('[data-part="veil"]');
    this.move = "truck";
    this.ready = false;
    try {
      this.stage = new Stage(this.canvas);
    } catch {
      this.veil.textContent = "This browser cannot draw with WebGL. Rendering works; the live view does not.";
    }
    this.watch = new ResizeObserver(() => this.#fit());
    this.watch.observe(this.gate);
    this.gate.addEventListener("pointerdown", (event) => this.#press(event));
    scene.addEventListener("change", () => this.#change());
    scene.addEventListener("frame", () => this.draw());
    scene.addEventListener("choose", () => this.#mark());
  }

  async #change() {
    if (!this.stage) return;
    const turn = (this.turn = (this.turn ?? 0) + 1);
    await this.stage.set(this.scene.current.data).catch((error) => {
      this.veil.textContent = "A picture could not be fetched. Reload the page.";
      throw error;
    });
    if (turn !== this.turn) return;
    this.ready = true;
    this.veil.hidden = true;
    this.#fit();
    this.gate.dataset.ready = "true";
    if (!this.scene.shown) this.gate.dataset.shows = String(this.scene.data.version);
  }

  #fit() {
    const { data } = this.scene;
    if (!data || !this.stage) return;
    const room = this.gate.getBoundingClientRect();
    const scale = Math.min(room.width / data.width, room.height / data.height);
    const width = Math.max(1, Math.floor(data.width * scale));
    const height = Math.max(1, Math.floor(data.height * scale));
    this.place = { x: (room.width - width) / 2, y: (room.height - height) / 2, width, height };
    Object.assign(this.canvas.style, { left: `${this.place.x}px`, top: `${this.place.y}px`, width: `${width}px`, height: `${height}px` });
    const dense = Math.min(devicePixelRatio, 2);
    const size = `${Math.round(width * dense)} ${Math.round(height * dense)}`;
    if (size !== this.sized) {
      this.sized = size;
      this.stage.size(Math.round(width * dense), Math.round(height * dense));
    }
    this.draw();
  }

  draw() {
    if (!this.ready) return;
    this.stage.draw(this.scene.current.record);
    this.#mark();
  }

  /** Frame pixels of a point of the page. */
  #framePoint(event) {
    const box = this.canvas.getBoundingClientRect();
    const scale = this.scene.data.width / box.width;
    return { x: (event.clientX - box.left) * scale, y: (event.clientY - box.top) * scale, scale };
  }

  async #press(event) {
    if (event.button !== 0 || !this.ready) return;
    this.gate.focus({ preventScroll: true });
    const { x, y, scale } = this.#framePoint(event);
    if (this.bench === "arrange") return this.#pressLayer(event, x, y, scale);
    this.#dragging(event, scale, "move_camera", () => ({ framing: this.scene.framing, move: this.move }), () => {
      this.scene.go(this.scene.data.framings[this.scene.framing].frame);
    });
  }

  #pressLayer(event, x, y, scale) {
    // Asked for at once; the drag waits for the answer.
    const picked = this.scene.pick(x, y).then((layer) => {
      this.scene.choose({ layer: layer ?? "" });
      return layer;
    });
    let layer = null;
    picked.then((id) => (layer = id));
    this.#dragging(event, scale, "drag_layer", () => layer && { layer, frame: this.scene.frame });
  }

  #dragging(event, scale, verb, subject, begin = () => {}) {
    const values = ({ dx, dy }) => {
      const what = subject();
      return what && { ...what, dx: dx * scale, dy: dy * scale };
    };
    this.gate.classList.add("busy");
    const finish = () => {
      this.scene.dragging = false;
      this.gate.classList.remove("busy");
    };
    const begun = () => {
      if (this.scene.dragging) return;
      this.scene.dragging = true;
      begin();
    };
    const carrier = { currentTarget: this.gate, pointerId: event.pointerId, clientX: event.clientX, clientY: event.clientY };
    drag(carrier, {
      move: (now) => {
        begun();
        const wish = values(now);
        if (wish) this.scene.preview(verb, wish);
      },
      end: (now) => {
        finish();
        const wish = values(now);
        if (wish) this.scene.edit(verb, wish);
      },
      cancel: () => {
        finish();
        this.scene.forget();
      },
    });
  }

  #mark() {
    if (!this.place || !this.scene.data) return;
    const { x, y, width, height } = this.place;
    const marks = [svg("rect", { class: "frame-line", x: x - 0.5, y: y - 0.5, width: width + 1, height: height + 1 })];
    const { data, record } = this.scene.current;
    if (this.guides) marks.push(...this.#guides(data.guides));
    const layer = this.bench === "arrange" && data.layers.find((each) => each.id === this.scene.layer);
    if (layer?.matrix && record.order.includes(layer.id)) {
      const corners = [[-0.5, 0.5], [0.5, 0.5], [0.5, -0.5], [-0.5, -0.5]].map((c) => this.#seen(record.clip, record.moved[layer.id] ?? layer.matrix, c));
      if (corners.every(Boolean)) {
        marks.push(svg("polygon", { class: "chosen", points: corners.map((p) => p.join(",")).join(" ") }));
        const tagX = Math.max(x, Math.min(...corners.map((p) => p[0])));
        const tagY = Math.max(y + 20, Math.min(...corners.map((p) => p[1])));
        marks.push(this.#tag(tagX, tagY, layer.backdrop ? layer.name : `${layer.name} ${layer.distance.toFixed(2)} m`));
      }
    }
    this.overlay.replaceChildren(...marks);
  }

  /** Safe areas and thirds; `data.guides` are boxes in frame pixels. */
  #guides({ action, title, thirds }) {
    const { x, y, width, height } = this.place;
    const scale = width / this.scene.data.width;
    const box = ([bx, by, bw, bh]) => ({ x: x + bx * scale, y: y + by * scale, width: bw * scale, height: bh * scale });
    const third = box(thirds);
    const cross = `M${third.x} ${y}v${height}M${third.x + third.width} ${y}v${height}M${x} ${third.y}h${width}M${x} ${third.y + third.height}h${width}`;
    const named = (words, at) => svg("text", { class: "guide-name", x: at.x + 4, y: at.y + at.height - 4 }, words);
    const [a, t] = [box(action), box(title)];
    return [svg("path", { class: "guide thirds", d: cross }), svg("rect", { class: "guide", ...a }), svg("rect", { class: "guide", ...t }), named("action 93 %", a), svg("text", { class: "guide-name", x: t.x + 4, y: t.y + 12 }, "title 90 %")];
  }

  showGuides(on) {
    this.guides = on;
    this.#mark();
  }

  #tag(x, y, words) {
    const text = svg("text", { x: x + 6, y: y - 6 }, words);
    return svg("g", { class: "tag" }, svg("rect", { x, y: y - 20, width: words.length * 6.6 + 12, height: 20 }), text);
  }

  /** Where a card's corner is drawn, in overlay pixels; null behind the camera. */
  #seen(clip, matrix, [u, v]) {
    const world = [0, 1, 2, 3].map((i) => matrix[i] * u + matrix[4 + i] * v + matrix[12 + i]);
    const at = [0, 1, 3].map((i) => world.reduce((sum, value, k) => sum + clip[4 * k + i] * value, 0));
    if (at[2] <= 0) return null;
    const { x, y, width, height } = this.place;
    return [x + ((at[0] / at[2] + 1) / 2) * width, y + ((1 - at[1] / at[2]) / 2) * height];
  }

  snapshot(width, height, frame) {
    return this.stage.snapshot(this.scene.data.frames[frame], width, height);
  }

  dispose() {
    this.watch.disconnect();
    this.stage?.dispose();
  }
}
