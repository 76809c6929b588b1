// The plan: a true map of the stage in metres. Bars are dragged in depth, the sheet is panned and
// zoomed. Positions come from the server; here they are only put on paper.
import { drag } from "./drag.js";
import { roundStep, svg } from "./svg.js";

export class Plan {
  constructor(desk, scene, bench) {
    this.desk = desk;
    this.scene = scene;
    this.bench = bench;
    this.sheet = desk.querySelector('[data-part="plan"]');
    this.note = desk.querySelector('[data-part="plan-note"]');
    this.view = "above";
    this.fitted = false;
    this.watch = new ResizeObserver(() => this.#change());
    this.watch.observe(this.sheet);
    for (const view of ["above", "side"]) desk.querySelector(`[data-do="${view}"]`).addEventListener("click", () => this.#turn(view));
    this.showing = bench === "direct" ? "near" : "all";
    for (const [name, showing] of [["fit", "all"], ["near", "near"], ["path", "path"]]) {
      desk.querySelector(`[data-do="${name}"]`).addEventListener("click", () => {
        this.showing = showing;
        this.fitted = false;
        this.#change();
      });
    }
    this.sheet.addEventListener("wheel", (event) => this.#zoom(event), { passive: false });
    this.sheet.addEventListener("pointerdown", (event) => this.#press(event));
    this.sheet.addEventListener("keydown", (event) => this.#key(event));
    for (const name of ["change", "frame", "choose"]) scene.addEventListener(name, () => this.#change());
  }

  #turn(view) {
    this.view = view;
    this.fitted = false;
    this.sheet.classList.toggle("side", view === "side");
    for (const other of ["above", "side"]) this.desk.querySelector(`[data-do="${other}"]`).setAttribute("aria-pressed", String(other === view));
    this.#change();
  }

  #fit(plan, data) {
    // Where the camera is directed the sheet opens on its path and the nearest layers.
    const standing = data.layers.filter((layer) => plan.bars[layer.id]);
    const distances = standing.map((layer) => layer.distance);
    const reach = { path: 0, near: 2.2 * Math.min(...distances), all: Infinity }[this.showing];
    const near = standing.filter((layer) => layer.distance <= reach).map((layer) => plan.bars[layer.id]);
    const points = [...near.flat(), ...plan.path];
    const xs = points.map((p) => p[0]);
    const ys = points.map((p) => p[1]);
    const { width, height } = this.size;
    const wide = Math.max(Math.max(...xs) - Math.min(...xs), 0.05);
    const high = Math.max(Math.max(...ys) - Math.min(...ys), 0.05);
    // Depth must be readable: what is very wide may run off the sheet at both sides.
    const along = this.view === "above" ? (height - 60) / high : (width - 90) / wide;
    const across = this.view === "above" ? (width - 50) / wide : (height - 50) / high;
    this.scale = Math.min(along, Math.max(across, along * 0.45));
    this.centre = [(Math.max(...xs) + Math.min(...xs)) / 2, (Math.max(...ys) + Math.min(...ys)) / 2];
    this.fitted = true;
  }

  #change() {
    const box = this.sheet.getBoundingClientRect();
    if (!this.scene.data || !box.width) return;
    this.size = box;
    const { data, record } = this.scene.current;
    const plan = data.plan[this.view];
    if (!this.fitted) this.#fit(this.scene.data.plan[this.view], this.scene.data);
    const at = ([x, y]) => [box.width / 2 + (x - this.centre[0]) * this.scale, box.height / 2 - (y - this.centre[1]) * this.scale];
    this.at = at;
    this.sheet.replaceChildren(
      ...this.#rules(at),
      ...this.#ground(at, data.ground),
      this.#cone(at, record.camera.cones[this.view]),
      ...this.#bars(at, data, plan),
      ...this.#path(at, plan, record),
    );
  }

  #rules(at) {
    const { width, height } = this.size;
    const step = roundStep(1 / this.scale, 34);
    const above = this.view === "above";
    const middle = above ? this.centre[1] : this.centre[0];
    const reach = (above ? height : width) / 2 / this.scale;
    const lines = [];
    for (let n = Math.ceil((middle - reach) / step); n * step <= middle + reach; n++) {
      const metres = n * step;
      const [x, y] = at(above ? [0, metres] : [metres, 0]);
      const label = `${Number(metres.toPrecision(6))} m`;
      lines.push(svg("line", above ? { class: n ? "rule" : "axis", x1: 0, x2: width, y1: y, y2: y } : { class: n ? "rule" : "axis", y1: 0, y2: height, x1: x, x2: x }));
      lines.push(svg("text", above ? { x: 6, y: y - 3 } : { x: x + 3, y: height - 6 }, label));
    }
    return lines;
  }

  #ground(at, height) {
    if (height === null || this.view === "above") return [];
    const y = at([0, height])[1];
    return [svg("line", { class: "ground", x1: 0, x2: this.size.width, y1: y, y2: y }), svg("text", { x: this.size.width - 6, y: y - 4, "text-anchor": "end" }, "ground")];
  }

  #cone(at, cone) {
    const far = (this.size.width + this.size.height) / this.scale;
    const ends = cone.edges.map(([x, y]) => at([cone.apex[0] + x * far, cone.apex[1] + y * far]));
    return svg("polygon", { class: "cone", points: [at(cone.apex), ...ends].map((p) => p.join(",")).join(" ") });
  }

  #bars(at, data, plan) {
    const { width } = this.size;
    const taken = [];
    // A backdrop is nowhere on the stage: it has no bar.
    return data.layers.filter((layer) => plan.bars[layer.id]).map((layer) => {
      const [a, b] = plan.bars[layer.id].map(at);
      const chosen = layer.id === this.scene.layer;
      const classes = ["bar", layer.hidden && "hidden-layer", layer.locked && "locked-layer", chosen && "chosen"].filter(Boolean).join(" ");
      const ends = { x1: a[0], y1: a[1], x2: b[0], y2: b[1] };
      const words = chosen ? `${layer.name}  ${layer.distance.toFixed(2)} m` : layer.name;
      const [left, right, top] = [Math.min(a[0], b[0]), Math.max(a[0], b[0]), Math.min(a[1], b[1])];
      // A name that would cover another goes to the bar's other end.
      const place = this.view === "above" ? top : left;
      const crowded = taken.filter((other) => Math.abs(other - place) < 15).length % 2;
      taken.push(place);
      let where;
      if (this.view === "above") {
        where = crowded
          ? { x: Math.max(34, left), y: top - 6, "text-anchor": "start" }
          : { x: Math.min(width - 8, right), y: top - 6, "text-anchor": "end" };
      } else where = { x: left + 7, y: Math.max(14, top + 12 + crowded * 15) };
      return svg("g", { class: classes, "data-layer": layer.id }, svg("line", ends), svg("line", { ...ends, class: "grip" }), svg("text", where, words));
    });
  }

  #path(at, plan, record) {
    const line = plan.path.map((p) => at(p).join(",")).join(" ");
    // Close ticks are slow: one a frame, drawn across the path.
    const lengths = plan.path.slice(1).map((p, n) => Math.hypot(p[0] - plan.path[n][0], p[1] - plan.path[n][1]));
    const mean = (lengths.reduce((sum, length) => sum + length, 0) / Math.max(1, lengths.length)) * this.scale;
    const every = [1, 2, 5, 10, 25, 50].find((n) => n * mean >= 3.5) ?? 100;
    this.note.textContent = mean > 0.02 ? (every === 1 ? "a tick a frame" : `a tick every ${every} frames`) : "";
    const ticks = plan.path.map((p, n) => {
      if (n % every) return "";
      const [x, y] = at(p);
      const [tx, ty] = plan.ticks[n];
      return tx || ty ? `M${x - ty * 4} ${y - tx * 4}L${x + ty * 4} ${y + tx * 4}` : "";
    });
    const [x, y] = at(record.camera.cones[this.view].apex);
    const [left, right] = record.camera.cones[this.view].edges;
    const ahead = Math.atan2(-(left[1] + right[1]), left[0] + right[0]) * (180 / Math.PI);
    return [
      svg("polyline", { class: "path", points: line }),
      svg("path", { class: "ticks", d: ticks.join("") }),
      svg("path", { class: "eye", d: "M-9 -6h11v12h-11z M3 0l6 -5v10z", transform: `translate(${x} ${y}) rotate(${ahead})` }),
    ];
  }

  #zoom(event) {
    event.preventDefault();
    const factor = Math.exp(-event.deltaY * 0.0015);
    const dx = event.clientX - this.size.left - this.size.width / 2;
    const dy = event.clientY - this.size.top - this.size.height / 2;
    const next = Math.min(5000, Math.max(0.05, this.scale * factor));
    this.centre = [this.centre[0] + dx * (1 / this.scale - 1 / next), this.centre[1] - dy * (1 / this.scale - 1 / next)];
    this.scale = next;
    this.#change();
  }

  #press(event) {
    if (event.button !== 0) return;
    const bar = event.target.closest(".bar");
    if (bar) this.#pressBar(event, bar.dataset.layer);
    else {
      const from = this.centre;
      drag(event, {
        move: ({ dx, dy }) => {
          this.centre = [from[0] - dx / this.scale, from[1] + dy / this.scale];
          this.#change();
        },
        end: () => {},
      });
    }
  }

  #pressBar(event, id) {
    const layer = this.scene.data.layers.find((each) => each.id === id);
    this.scene.choose({ layer: id });
    if (layer.locked) return;
    const values = ({ dx, dy, event: now }) => ({
      layer: id,
      distance: layer.distance + (this.view === "above" ? -dy : dx) / this.scale,
      keep_framing: this.#keeps() && !now.altKey,
    });
    drag(event, {
      move: (now) => {
        this.scene.dragging = true;
        const wish = values(now);
        if (wish.distance > 0) this.scene.preview("move_in_depth", wish);
      },
      end: (now) => {
        this.scene.dragging = false;
        this.scene.edit("move_in_depth", values(now));
      },
      cancel: () => {
        this.scene.dragging = false;
        this.scene.forget();
      },
    });
  }

  #keeps() {
    return document.getElementById("keep-framing")?.checked ?? true;
  }

  #key(event) {
    const step = { ArrowUp: 0.05, ArrowDown: -0.05 }[event.key];
    const layer = this.scene.data?.layers.find((each) => each.id === this.scene.layer);
    if (!step || !layer || layer.locked) return;
    event.preventDefault();
    this.scene.edit("move_in_depth", { layer: layer.id, distance: layer.distance + step * (event.shiftKey ? 10 : 1), keep_framing: this.#keeps() });
  }

  dispose() {
    this.watch.disconnect();
  }
}
