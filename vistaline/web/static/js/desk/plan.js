// The plan: a true map of the stage in metres. Bars are dragged in depth, the sheet is panned and
// zoomed. Positions come from the server; here they are only put on paper.
import { editOf, isThing, thingsIn } from "../dress/things.js";
import { drag } from "../page/drag.js";
import { Labels } from "./labels.js";
import { roundStep, svg } from "../page/svg.js";
import { barOf, layerIn, mountPlace } from "./tracks.js";

const STEP = 0.05; // metres that an arrow key moves what is chosen

export class Plan {
  constructor(desk, scene, bench, view) {
    this.scene = scene;
    this.bench = bench;
    this.view = view;
    this.sheet = desk.querySelector(`[data-part="plan-${view}"]`);
    this.note = desk.querySelector('[data-part="plan-note"]');
    this.fitted = false;
    this.watch = new ResizeObserver(() => this.#change());
    this.watch.observe(this.sheet);
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

  #fit(plan, data) {
    // Where the camera is directed the sheet opens on its path and the nearest layers.
    const standing = data.layers.filter((layer) => plan.bars[layer.id]);
    const distances = standing.map((layer) => layer.distance);
    const reach = { path: 0, near: 2.2 * Math.min(...distances), all: farthest(distances) }[this.showing];
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
      ...this.#cone(at, record.camera.cones[this.view], data.near),
      ...this.#focus(at, record.camera.focus),
      ...this.#tracks(at),
      ...this.#bars(at, data, plan, record),
      ...this.#winds(at, plan),
      ...this.#focusEnds(at, record.camera.focus),
      ...this.#mounts(at, data, record),
      ...this.#things(at, record),
      ...this.#path(at, plan, record),
      ...this.#stops(at, data, plan),
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

  #cone(at, cone, near) {
    const reach = (metres) => cone.edges.map(([x, y]) => at([cone.apex[0] + x * metres, cone.apex[1] + y * metres]));
    const shape = (metres, kind) => svg("polygon", { class: kind, points: [at(cone.apex), ...reach(metres)].map((p) => p.join(",")).join(" ") });
    const far = shape((this.size.width + this.size.height) / this.scale, "cone");
    // Nearer than this nothing is seen; drawn only where it is more than a dot.
    return near * this.scale < 3 ? [far] : [far, shape(near, "blind")];
  }

  /** Where it is sharp: what is in focus, to be dragged, and between where all looks so. */
  #focus(at, focus) {
    if (!focus || this.bench !== "direct") return [];
    const line = (name) => focus.lines[this.view][name]?.map(at);
    const drawn = (name, kind) => {
      const [a, b] = line(name) ?? [];
      return a ? [svg("line", { class: kind, x1: a[0], y1: a[1], x2: b[0], y2: b[1] })] : [];
    };
    const far = line("far");
    const sharp = far ? [svg("polygon", { class: "in-focus", points: [...line("near"), ...far.reverse()].map((p) => p.join(",")).join(" ") })] : [];
    const [a, b] = line("at");
    const ends = { x1: a[0], y1: a[1], x2: b[0], y2: b[1] };
    return [
      ...sharp,
      ...drawn("near", "limit"),
      ...drawn("far", "limit"),
      svg("g", { class: "focus", "data-focus": "" }, svg("line", ends), svg("line", { ...ends, class: "grip" })),
    ];
  }

  /** What that line is held by where a bar lies over it: its ends, and what it says. */
  #focusEnds(at, focus) {
    if (!focus || this.bench !== "direct") return [];
    const [a, b] = focus.lines[this.view].at.map(at);
    const words = `${focus.at.toFixed(2)} m in focus`;
    const above = this.view === "above";
    const name = above ? { x: (a[0] + b[0]) / 2, y: Math.min(a[1], b[1]) - 7, "text-anchor": "middle" } : { x: Math.max(a[0], b[0]) + 8, y: Math.max(a[1], b[1]) + 4 };
    const knobs = [a, b].map(([x, y]) => svg("path", { class: "knob", d: "M0 -6L6 0L0 6L-6 0z", transform: `translate(${x} ${y})` }));
    return [svg("g", { class: "focus", "data-focus": "", tabindex: 0, role: "slider", "aria-label": "Distance in focus", "aria-valuenow": focus.at, "aria-valuetext": words }, svg("title", {}, `${words}; drag it, or arrow keys`), ...knobs, svg("text", name, words))];
  }

  #bars(at, data, plan, record) {
    const { chosen } = this.scene;
    const seen = new Set(record.order);
    const labels = new Labels(this.size);
    // A backdrop is nowhere on the stage: it has no bar.
    const standing = data.layers.filter((layer) => plan.bars[layer.id]);
    const last = (layer) => Number(chosen.includes(layer.id)); // what is chosen is drawn over the rest
    // What is chosen is named first, then what is nearest; it is drawn last.
    const named = [...standing].sort((one, other) => last(other) - last(one) || one.distance - other.distance);
    const places = new Map(named.map((kept) => [kept.id, this.#name(labels, at, data, record, kept, seen)]));
    return standing.sort((one, other) => last(one) - last(other)).map((kept) => {
      const layer = layerIn(record, kept);
      const [a, b] = barOf(data, record, this.view, layer.id).map(at);
      const isChosen = chosen.includes(layer.id);
      const lost = !layer.hidden && !seen.has(layer.id);
      const classes = ["bar", layer.hidden && "hidden-layer", layer.locked && "locked-layer", lost && "lost", isChosen && "chosen"].filter(Boolean).join(" ");
      const ends = { x1: a[0], y1: a[1], x2: b[0], y2: b[1] };
      const covers = plan.areas[layer.id];
      const area = covers ? [svg("polygon", { class: "covers", points: covers.map((point) => at(point).join(",")).join(" ") })] : [];
      const knobs = isChosen && chosen.length === 1 && !layer.locked ? [a, b].map(([x, y], n) => svg("circle", { class: "end", cx: x, cy: y, r: 5, "data-end": n })) : [];
      return svg("g", { class: classes, "data-layer": layer.id, transform: `translate(${this.#ahead(layer.id)})` }, svg("title", {}, places.get(layer.id).words), ...area, svg("line", ends), svg("line", { ...ends, class: "grip" }), ...places.get(layer.id).marks, ...knobs);
    });
  }

  /** A layer's name beside its bar, where it lies over no other; none, if there is no such place. */
  #name(labels, at, data, record, kept, seen) {
    const layer = layerIn(record, kept);
    const [a, b] = barOf(data, record, this.view, layer.id).map(at);
    const alone = this.scene.chosen.length === 1 && this.scene.chosen[0] === layer.id;
    const angle = this.view === "above" ? layer.pan : layer.tilt;
    const facts = [`${layer.distance.toFixed(2)} m`, this.view === "above" ? layer.width && `${layer.width.toFixed(2)} m wide` : layer.height && `${layer.height.toFixed(2)} m high`, angle && `${angle.toFixed(0)}°`].filter(Boolean).join(" · ");
    const lost = !layer.hidden && !seen.has(layer.id);
    const words = (alone ? `${layer.name}  ${facts}` : layer.name) + (lost ? " · not seen here" : "");
    const [left, right, top, low] = [Math.min(a[0], b[0]), Math.max(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[1], b[1])];
    const { width, height } = this.size;
    // A bar that is not on the sheet is not named at its edge.
    if (right < 0 || left > width || low < 0 || top > height) return { words, marks: [] };
    const above = this.view === "above";
    const wishes = above
      ? [[right, top - 6, "end"], [Math.max(34, left), top - 6, "start"], [right, low + 15, "end"], [Math.max(34, left), low + 15, "start"], [right + 8, top + 4, "start"], [left - 8, top + 4, "end"]]
      : [[left + 7, top + 12, "start"], [left + 7, low - 2, "start"], [left - 7, top + 12, "end"], [left - 7, low - 2, "end"], [left, top - 6, "middle"], [left, low + 15, "middle"]];
    const place = labels.put(words, wishes, [(left + right) / 2, (top + low) / 2], alone);
    if (!place) return { words, marks: [] };
    const { x, y, anchor, leader } = place;
    const line = leader ? [svg("line", { class: "leader", x1: leader[0], y1: leader[1], x2: leader[2], y2: leader[3] })] : [];
    return { words, marks: [...line, svg("text", { x, y, "text-anchor": anchor }, words)] };
  }

  /** Where the layers go that are moved by their keys. */
  #tracks(at) {
    return Object.values(this.scene.data.tracks).map(({ bars, place }) => {
      const points = [];
      const ends = bars?.[this.view] ?? place[this.view];
      const step = bars ? 4 : 2;
      for (let n = 0; n < ends.length; n += step) points.push(at(bars ? [(ends[n] + ends[n + 2]) / 2, (ends[n + 1] + ends[n + 3]) / 2] : [ends[n], ends[n + 1]]).join(","));
      return svg("polyline", { class: "track", points: points.join(" ") });
    });
  }

  /** Which way the wind goes that moves a cloth: an arrow from where it hangs, longer the stronger. */
  #winds(at, { winds }) {
    return Object.values(winds).map(([place, [right, up]]) => {
      const [x, y] = at(place);
      const strength = Math.hypot(right, up);
      const reach = Math.min(14 + 5 * strength, 80) / Math.max(strength, 1e-6);
      const turn = (Math.atan2(-up, right) * 180) / Math.PI;
      const tip = `translate(${x + right * reach} ${y - up * reach}) rotate(${turn})`;
      return svg("g", { class: "wind" }, svg("title", {}, "The wind that moves it, as this plan sees it"), svg("line", { x1: x, y1: y, x2: x + right * reach, y2: y - up * reach }), svg("path", { d: "M-7 -4 L0 0 L-7 4", transform: tip }));
    });
  }

  #mounts(at, data, record) {
    return data.mounts.map((mount) => {
      const [x, y] = at(mountPlace(data, record, this.view, mount.id));
      const chosen = this.scene.layer === `mount:${mount.id}`;
      return svg("g", { class: chosen ? "mount chosen" : "mount", "data-mount": mount.id, transform: `translate(${x} ${y})` }, svg("path", { d: "M0 -8L8 0L0 8L-8 0z" }), svg("text", { x: 11, y: 4 }, mount.name));
    });
  }

  /** Lamps, how far they reach, the edges of their cones; and what stands in the air. */
  #things(at, record) {
    if (this.bench !== "dress") return [];
    return thingsIn(record).filter(({ plan }) => plan[this.view]).map((thing) => {
      const { of, name, on, plan } = thing;
      const [x, y] = at(plan[this.view].at);
      const chosen = this.scene.layer === of;
      const classes = ["lamp", chosen && "chosen", !on && "off"].filter(Boolean).join(" ");
      const marks = of.startsWith("lamp:") ? this.#lamp(at, thing, [x, y]) : this.#outline(at, thing, chosen, [x, y]);
      return svg("g", { class: classes, "data-thing": of, transform: `translate(${x} ${y})` }, svg("title", {}, `${name}; drag it, or arrow keys`), ...marks, svg("text", { x: 14, y: 4 }, name));
    });
  }

  #lamp(at, { kind, plan }, [x, y]) {
    const { lines, reach } = plan[this.view];
    const marks = lines.map((end) => {
      const [ex, ey] = at(end);
      return svg("line", { class: "beam", x1: 0, y1: 0, x2: ex - x, y2: ey - y });
    });
    if (reach !== null) marks.push(svg("circle", { class: "beam", r: reach * this.scale }));
    const rays = kind === 2 ? "M-7 -7L7 -7M-4 -7v9M0 -7v13M4 -7v9" : "M0 -9v-3M0 9v3M-9 0h-3M9 0h3M-6.500 -6.500l-2 -2M6.500 -6.500l2 -2M-6.500 6.500l-2 2M6.500 6.500l2 2";
    return [...marks, svg("circle", { class: "bulb", r: 6 }), svg("path", { d: rays })];
  }

  /** Where particles come from, or a shaft goes: its lines only while it is chosen. */
  #outline(at, { plan }, chosen, [x, y]) {
    const shown = chosen ? plan[this.view].lines : [];
    const marks = shown.map((line) => svg("polyline", { class: "beam", points: line.map(at).map(([ex, ey]) => `${ex - x},${ey - y}`).join(" ") }));
    return [...marks, svg("path", { class: "bulb", d: "M0 -7L7 0L0 7L-7 0z" })];
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

  /** The framings on the path; where it is smooth, the chosen one's handles. */
  #stops(at, data, plan) {
    if (this.bench !== "direct" || plan.stops.length < 2) return [];
    const ghosts = data.framings.map(({ frame }) => this.#ghost(at, this.scene.data.frames[frame]?.camera.cones[this.view]));
    const marks = [...ghosts, ...plan.stops.map(([place], n) => {
      const [x, y] = at(place);
      return svg("circle", { class: n === this.scene.framing ? "station chosen" : "station", cx: x, cy: y, r: 3.5 });
    })];
    if (data.path !== "smooth") return marks;
    const n = this.scene.framing;
    const [place] = plan.stops[n].map(at);
    this.held = {};
    const handle = (end, k, towards) => {
      let [x, y] = at(plan.stops[n][k]);
      // One that has no length yet must be taken hold of, too.
      if (Math.hypot(x - place[0], y - place[1]) < 16) {
        const [tx, ty] = at(plan.stops[towards][0]);
        const long = Math.hypot(tx - place[0], ty - place[1]) || 1;
        [x, y] = [place[0] + ((tx - place[0]) / long) * 16, place[1] + ((ty - place[1]) / long) * 16];
      }
      this.held[end] = [(x - place[0]) / this.scale, (place[1] - y) / this.scale];
      marks.push(svg("line", { class: "arm", x1: place[0], y1: place[1], x2: x, y2: y }), svg("circle", { class: "handle", cx: x, cy: y, r: 5, "data-handle": end }));
    };
    if (n > 0) handle("arrive", 1, n - 1);
    if (n < plan.stops.length - 1) handle("leave", 2, n + 1);
    return marks;
  }

  /** What a framing sees, faintly: its frame at a little distance. */
  #ghost(at, cone) {
    const reach = 34 / this.scale;
    const [a, b] = (cone?.edges ?? []).map(([x, y]) => at([cone.apex[0] + x * reach, cone.apex[1] + y * reach]));
    const from = cone && at(cone.apex);
    return svg("path", { class: "ghost", d: cone ? `M${from}L${a}L${b}Z` : "" });
  }

  /** Bend the path: with Alt one handle alone, so that it has a corner. */
  #bend(event, end) {
    const framing = this.scene.framing;
    const [x, y] = this.held[end];
    this.#wish(event, ({ dx, dy, event: now }) => ["drag_handle", { framing, end, view: this.view, x: x + dx / this.scale, y: y - dy / this.scale, joined: !now.altKey }]);
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
    const handle = event.target.closest("[data-handle]");
    if (handle) return this.#bend(event, handle.dataset.handle);
    const end = event.target.closest("[data-end]");
    const bar = event.target.closest(".bar");
    const mount = event.target.closest(".mount");
    if (event.target.closest("[data-focus]")) return this.#pull(event);
    if (end) return this.#turn(event, bar.dataset.layer, Number(end.dataset.end));
    const lamp = event.target.closest(".lamp");
    if (lamp) return this.#pressThing(event, lamp.dataset.thing);
    if (mount) return this.#pressMount(event, mount.dataset.mount);
    if (bar) return this.#pressBar(event, bar.dataset.layer);
    const from = this.centre;
    drag(this.sheet, event, {
      move: ({ dx, dy }) => {
        this.centre = [from[0] - dx / this.scale, from[1] + dy / this.scale];
        this.#change();
      },
      end: () => {},
    });
  }

  /** Drag what is in focus along the way the camera looks. */
  #pull(event) {
    const tint = (detail) => this.scene.dispatchEvent(new CustomEvent("tint", { detail }));
    tint(true);
    for (const name of ["pointerup", "pointercancel"]) window.addEventListener(name, () => tint(false), { once: true });
    this.#wish(event, ({ dx, dy }) => ["drag_focus", { view: this.view, dx: dx / this.scale, dy: -dy / this.scale }]);
  }

  /** Preview what a drag wishes for while it lasts, and keep it at its end. */
  #wish(event, values) {
    drag(this.sheet, event, {
      move: (now) => {
        this.scene.beginDrag();
        const asked = values(now);
        this.wished = asked?.[1];
        if (asked) this.scene.preview(...asked);
        this.#goAhead();
      },
      end: (now) => {
        this.scene.endDrag();
        this.wished = null;
        const asked = values(now, true);
        if (asked) this.scene.edit(...asked);
      },
      cancel: () => {
        this.scene.endDrag();
        this.wished = null;
        this.scene.forget();
      },
    });
  }

  /** How far the pointer has gone beyond what was answered so far, in pixels: the bar goes with it. */
  #ahead(id) {
    const { dx, dy, layer, layers } = this.wished ?? {};
    if (dx === undefined || !(layers ?? [layer]).includes(id)) return [0, 0];
    const answered = this.scene.shown?.wish ?? { dx: 0, dy: 0 };
    return [(dx - answered.dx) * this.scale, -(dy - answered.dy) * this.scale];
  }

  /** Let the dragged bars go with the pointer at once; all else waits for the answer. */
  #goAhead() {
    for (const bar of this.sheet.querySelectorAll(".bar.chosen")) bar.setAttribute("transform", `translate(${this.#ahead(bar.dataset.layer)})`);
  }

  #pressBar(event, id) {
    const { scene } = this;
    const layer = this.#layer(id);
    if (event.shiftKey) return scene.choose({ layer: id, more: true });
    if (!scene.chosen.includes(id)) scene.choose({ layer: id });
    if (layer.locked) return;
    const { chosen } = scene;
    let free = null;
    this.#wish(event, ({ dx, dy, event: now }, last) => {
      // Along the way it is dragged first; with Shift any way.
      free ??= Math.abs(this.view === "above" ? dy : dx) >= Math.abs(this.view === "above" ? dx : dy) ? "deep" : "beside";
      const kept = (way) => now.shiftKey || way === free;
      const [across, on] = this.view === "above" ? ["beside", "deep"] : ["deep", "beside"];
      const asked = { view: this.view, dx: kept(across) ? dx / this.scale : 0, dy: kept(on) ? -dy / this.scale : 0, keep: this.#keeps(now) };
      const deep = this.view === "above" ? asked.dy : asked.dx;
      if (layer.distance + deep <= 0 && !last) return null; // refused in words when let go
      if (chosen.length > 1) return ["drag_layers_on_plan", { layers: chosen, lead: id, ...asked }];
      return ["drag_on_plan", { layer: id, ...asked, snap: now.ctrlKey ? 0 : 5 / this.scale }];
    });
  }

  /** Turn a layer by an end of its bar: about its upright from above, backwards from the side. */
  #turn(event, id, end) {
    const layer = this.#layer(id);
    const { data, record } = this.scene.current;
    const ends = barOf(data, record, this.view, id).map(this.at);
    const middle = [(ends[0][0] + ends[1][0]) / 2, (ends[0][1] + ends[1][1]) / 2];
    const angle = (x, y) => Math.atan2(middle[1] - y, x - middle[0]) * (180 / Math.PI);
    const name = this.view === "above" ? "pan" : "tilt";
    this.#wish(event, ({ dx, dy, event: now }) => {
      const turned = angle(ends[end][0] + dx, ends[end][1] + dy) - angle(...ends[end]);
      return ["turn_layer", { layer: id, [name]: layer[name] + ((turned + 540) % 360) - 180, whole: now.shiftKey ? 15 : 1 }];
    });
  }

  #pressMount(event, id) {
    this.scene.choose({ layer: `mount:${id}` });
    this.#wish(event, ({ dx, dy }) => ["drag_mount", { mount: id, view: this.view, dx: dx / this.scale, dy: -dy / this.scale }]);
  }

  #pressThing(event, of) {
    this.scene.choose({ layer: of });
    this.#wish(event, ({ dx, dy }) => this.#drags(of, dx / this.scale, -dy / this.scale));
  }

  #drags(of, dx, dy) {
    const [verb, whom] = editOf(of, "drag_*");
    return [verb, { ...whom, view: this.view, dx, dy }];
  }

  /** A layer as it is at the frame in sight. */
  #layer(id) {
    const { data, record } = this.scene.current;
    const layer = data.layers.find((each) => each.id === id);
    return layer && layerIn(record, layer);
  }

  /** What a move in depth keeps: as the panel says; with Alt its size. */
  #keeps({ altKey }) {
    const field = /** @type {HTMLSelectElement | null} */ (document.getElementById("v-keep"));
    return altKey ? "size" : (field?.value ?? "seen");
  }

  #key(event) {
    const way = { ArrowUp: [0, 1], ArrowDown: [0, -1], ArrowLeft: [-1, 0], ArrowRight: [1, 0] }[event.key];
    const { layer, chosen, data } = this.scene;
    if (way && event.target.closest("[data-focus]")) {
      event.preventDefault();
      const [dx, dy] = way.map((each) => each * STEP * (event.shiftKey ? 10 : 1));
      return this.scene.edit("drag_focus", { view: this.view, dx, dy });
    }
    if (!way || !data || event.ctrlKey || event.metaKey || !(chosen.length || layer.startsWith("mount:") || isThing(layer))) return;
    event.preventDefault();
    const [dx, dy] = way.map((each) => each * STEP * (event.shiftKey ? 10 : 1));
    const asked = { view: this.view, dx, dy, keep: this.#keeps(event) };
    if (isThing(layer)) this.scene.edit(...this.#drags(layer, dx, dy));
    else if (layer.startsWith("mount:")) this.scene.edit("drag_mount", { mount: layer.slice(6), view: this.view, dx, dy });
    else if (chosen.length > 1) this.scene.edit("drag_layers_on_plan", { layers: chosen, lead: layer, ...asked });
    else this.scene.edit("drag_on_plan", { layer, ...asked });
  }

  dispose() {
    this.watch.disconnect();
  }
}

/** The distance of the farthest layer that still belongs to the stage: what is far beyond does not squeeze it. */
function farthest(distances) {
  const sorted = [...distances].sort((one, other) => one - other);
  const stage = sorted.filter((distance, n) => n === 0 || distance < 4 * sorted[n - 1]);
  const gap = sorted.findIndex((distance, n) => n > 0 && distance >= 4 * sorted[n - 1]);
  return gap > 0 ? sorted[gap - 1] : stage[stage.length - 1];
}
