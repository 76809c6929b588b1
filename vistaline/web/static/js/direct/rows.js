// Rows of keys under the route: a row for each value that has some, pins where its keys are, as
// high as the value is. What is done to keys is asked of the server.
import { drag } from "../page/drag.js";
import { notice } from "../page/notice.js";
import { svg } from "../page/svg.js";

export const HEIGHT = 30;
const SHOWN = 4.5; // rows before they scroll
const LOW = 25;
const HIGH = 7;
const NEAR = 7; // pixels to a pin

const same = (one, other) => one.of === other.of && one.value === other.value && one.frame === other.frame;

export class Rows {
  /** `route` knows which frame is where. */
  constructor(desk, scene, route) {
    this.scene = scene;
    this.route = route;
    this.desk = desk;
    this.box = desk.querySelector('[data-part="rows"]');
    this.sheet = this.box.querySelector("svg");
    this.sheet.addEventListener("pointerdown", (event) => this.#press(event));
    this.sheet.addEventListener("keydown", (event) => this.#key(event));
    this.sheet.addEventListener("dblclick", (event) => this.#double(event));
    scene.addEventListener("change", () => this.#change());
    scene.addEventListener("choose", () => this.#change());
    scene.addEventListener("frame", () => this.#head());
    route.onSize = () => this.#change();
  }

  /** All keys of the shot, each with the row it is in. */
  get #keys() {
    return this.scene.data.rows.flatMap((row, n) => row.keys.map((key) => ({ ...key, of: row.of, value: row.value, n })));
  }

  #y(n, height) {
    return n * HEIGHT + LOW - height * (LOW - HIGH);
  }

  #change() {
    const { data, shown } = this.scene;
    if (shown && this.showMoved) this.showMoved(shown.keys ?? []);
    if (!data || shown) return;
    const { rows } = data;
    this.box.hidden = !rows.length;
    this.desk.style.setProperty("--rows", `${Math.min(SHOWN, rows.length) * HEIGHT + 6}px`);
    this.desk.classList.toggle("with-rows", rows.length > 0);
    if (!rows.length) return;
    this.sheet.setAttribute("height", rows.length * HEIGHT);
    this.sheet.replaceChildren(...rows.flatMap((row, n) => this.#row(row, n)), svg("g", { class: "row-head" }), svg("g", { class: "row-drag" }));
    this.#head();
  }

  #row(row, n) {
    const { route } = this;
    const last = this.scene.data.duration - 1;
    const [from, to] = [route.x(0), route.x(last)];
    const at = (k, count) => from + (k / Math.max(1, count - 1)) * (to - from);
    const y = n * HEIGHT + LOW;
    const parts = [
      svg("g", { class: "row-name", "data-row": n }, svg("title", {}, `${row.name}: ${row.label}. Click to choose all its keys`), svg("rect", { class: "row-grip", x: 0, y: n * HEIGHT, width: from - 10, height: HEIGHT }), svg("text", { x: 8, y: y - 11 }, short(row.name)), svg("text", { class: "soft", x: 8, y: y + 1 }, short(row.label))),
      svg("line", { class: "row-line", x1: from, x2: to, y1: y, y2: y }),
    ];
    const { line } = row;
    if (row.kind === "colour") line.forEach((colour, k) => parts.push(svg("rect", { fill: colour, x: at(k, line.length), y: y - 6, width: at(1, line.length) - from + 0.5, height: 6 })));
    else if (line.length) parts.push(svg("polyline", { class: "row-curve", points: line.map((height, k) => `${at(k, line.length)},${this.#y(n, height)}`).join(" ") }));
    // Pins that would cover one another are one; it stands for the first of them.
    let before = -Infinity;
    for (const key of row.keys) {
      const x = route.x(key.frame);
      const chosen = this.scene.keys.some((each) => same(each, { ...row, frame: key.frame }));
      if (x - before < 2 && !chosen) continue;
      before = x;
      const top = this.#y(n, key.height);
      parts.push(svg("g", { class: chosen ? "key chosen" : "key" }, svg("title", {}, `${row.name}, ${row.label.toLowerCase()}: ${key.says} at frame ${key.frame}`), svg("line", { x1: x, x2: x, y1: y, y2: top }), svg("circle", { cx: x, cy: top, r: 4 })));
      if (row.kind === "text") parts.push(svg("text", { class: "soft", x: x + 7, y: top + 4 }, key.says));
    }
    return parts;
  }

  #head() {
    const place = this.sheet.querySelector(".row-head");
    if (!place || this.box.hidden) return;
    const x = this.route.x(this.scene.frame);
    place.replaceChildren(svg("line", { class: "head-line", x1: x, x2: x, y1: 0, y2: this.scene.data.rows.length * HEIGHT }));
  }

  /** The key at a point of the page, if one is. */
  #keyAt({ clientX, clientY }) {
    const box = this.sheet.getBoundingClientRect();
    const [x, y] = [clientX - box.left, clientY - box.top];
    const far = (key) => Math.abs(this.route.x(key.frame) - x);
    const near = this.#keys.filter((key) => Math.floor(y / HEIGHT) === key.n && far(key) < NEAR);
    return near.sort((one, other) => far(one) - far(other))[0];
  }

  #press(event) {
    if (event.button !== 0) return;
    const name = event.target.closest("[data-row]");
    if (name) return this.chooseRow(this.scene.data.rows[Number(name.dataset.row)], event.shiftKey);
    const key = this.#keyAt(event);
    if (!key) return this.#sweep(event);
    const { keys } = this.scene;
    const known = keys.some((each) => same(each, key));
    if (event.shiftKey) return this.#choose(known ? keys.filter((each) => !same(each, key)) : [...keys, key]);
    if (!known) this.#choose([key]);
    this.scene.go(key.frame);
    this.#drag(event, key);
  }

  #choose(keys) {
    if (keys.length) this.desk.dispatchEvent(new CustomEvent("opentab", { detail: "keys" }));
    this.scene.chooseKeys(keys.map(({ of, value, frame }) => ({ of, value, frame })));
  }

  chooseRow({ of, value, keys }, more = false) {
    const all = keys.map(({ frame }) => ({ of, value, frame }));
    this.#choose(more ? [...this.scene.keys.filter((key) => key.of !== of || key.value !== value), ...all] : all);
  }

  /** The arrow keys go from key to key, and to the nearest one of the next row. */
  #key(event) {
    const [along, down] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key] ?? [];
    if (along === undefined || event.altKey || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    const all = this.#keys;
    const [first] = this.scene.keys;
    const here = first && all.find((each) => same(each, first));
    const nearest = (row) => row.sort((one, other) => Math.abs(one.frame - this.scene.frame) - Math.abs(other.frame - this.scene.frame))[0];
    let next = nearest(all);
    if (here && along) next = all.filter((each) => each.n === here.n && (each.frame - here.frame) * along > 0).sort((one, other) => (one.frame - other.frame) * along)[0];
    if (here && down) next = nearest(all.filter((each) => each.n === here.n + down));
    if (!next) return;
    this.#choose(event.shiftKey && here ? [...this.scene.keys, next].reverse() : [next]);
    this.scene.go(next.frame);
    this.sheet.closest(".rows").scrollTop = Math.max(0, (next.n - 2) * HEIGHT);
  }

  /** Drag what is chosen in time; with Alt it is stretched, away from its other end. */
  #drag(event, key) {
    const { scene } = this;
    const keys = JSON.stringify(scene.keys);
    const step = this.route.x(1) - this.route.x(0);
    const wish = ({ dx, event: now }) => {
      const by = Math.round(dx / step);
      if (now.altKey && scene.keys.length > 1) return { by, verb: "stretch_keys", values: { keys, grip: key.frame, by }, words: "stretched" };
      return { by, verb: "move_keys", values: { keys, frames: by }, words: `frame ${key.frame + by}` };
    };
    const place = this.sheet.querySelector(".row-drag");
    const done = () => {
      scene.endDrag();
      this.showMoved = null;
      place.replaceChildren();
    };
    drag(this.sheet, event, {
      move: (now) => {
        const { verb, values, words } = wish(now);
        // Where they come to lie is answered; until then a line goes with the pointer.
        this.showMoved = (moved) => {
          const at = (each) => [this.route.x(each.frame), this.#y(this.#rowOf(each), 0.5)];
          const x = this.route.x(key.frame) + now.dx;
          place.replaceChildren(svg("line", { class: "head-line", x1: x, x2: x, y1: key.n * HEIGHT, y2: (key.n + 1) * HEIGHT }), ...moved.map(at).map(([cx, cy]) => svg("circle", { class: "moving", cx, cy, r: 4.5 })), svg("text", { x: x + 9, y: this.#y(key.n, key.height) + 4 }, words));
        };
        this.showMoved(scene.shown?.keys ?? []);
        scene.beginDrag();
        scene.preview(verb, values);
      },
      end: (now) => {
        const { by, verb, values } = wish(now);
        done();
        if (by) this.#retime(verb, () => values);
        else scene.forget();
      },
      cancel: () => {
        done();
        scene.forget();
      },
    });
  }

  #rowOf({ of, value }) {
    return this.scene.data.rows.findIndex((row) => row.of === of && row.value === value);
  }

  /** Keep new times; what was chosen stays chosen where it is now. One after the other. */
  #retime(verb, values) {
    const now = async () => {
      const kept = await this.scene.edit(verb, values());
      if (kept) this.scene.chooseKeys(kept.keys);
    };
    this.retiming = (this.retiming ?? Promise.resolve()).then(now);
    return this.retiming;
  }

  nudge(frames) {
    return this.#retime("move_keys", () => ({ keys: JSON.stringify(this.scene.keys), frames }));
  }

  /** Sweep over keys to choose them; a mere click moves the playhead, as on the route. */
  #sweep(event) {
    const box = this.sheet.getBoundingClientRect();
    const [x0, y0] = [event.clientX - box.left, event.clientY - box.top];
    const place = this.sheet.querySelector(".row-drag");
    const swept = ({ dx, dy }) => ({ x: Math.min(x0, x0 + dx), y: Math.min(y0, y0 + dy), width: Math.abs(dx), height: Math.abs(dy) });
    drag(this.sheet, event, {
      move: (now) => place.replaceChildren(svg("rect", { class: "sweep", ...swept(now) })),
      end: (now) => {
        const { x, y, width, height } = swept(now);
        place.replaceChildren();
        const inside = this.#keys.filter((key) => {
          const [kx, ky] = [this.route.x(key.frame), this.#y(key.n, key.height)];
          return kx >= x && kx <= x + width && ky >= y - 6 && ky <= y + height + 6;
        });
        this.#choose(event.shiftKey ? [...this.scene.keys.filter((key) => !inside.some((each) => same(each, key))), ...inside] : inside);
      },
      cancel: () => {
        this.scene.go(this.route.frameAt(event.clientX));
        if (this.scene.keys.length && !event.shiftKey) this.#choose([]);
      },
    });
  }

  /** A double click sets a key there, with the value it has there. */
  #double(event) {
    const box = this.sheet.getBoundingClientRect();
    const row = this.scene.data.rows[Math.floor((event.clientY - box.top) / HEIGHT)];
    if (!row || this.#keyAt(event) || event.target.closest("[data-row]")) return;
    this.set(row, this.route.frameAt(event.clientX));
  }

  async set({ of, value }, frame = this.scene.frame) {
    this.scene.go(frame);
    if (await this.scene.edit("set_key", { of, value, frame })) this.#choose([{ of, value, frame }]);
  }

  remove() {
    const { keys } = this.scene;
    return this.scene.edit("remove_keys", { keys: JSON.stringify(keys) });
  }

  copy() {
    const rows = this.scene.data.rows.map(({ of, value, keys }) => ({ of, value, keys: keys.filter(({ frame }) => this.scene.keys.some((each) => same(each, { of, value, frame }))).map(({ frame, value: is, ease }) => ({ frame, value: is, ease })) }));
    const clip = rows.filter(({ keys }) => keys.length);
    localStorage.setItem("vistaline-keys", JSON.stringify(clip));
    const count = clip.reduce((sum, { keys }) => sum + keys.length, 0);
    notice(`${count} key${count === 1 ? "" : "s"} copied. Paste at the playhead with Ctrl V, or on something else in the panel of keys.`, "info");
  }

  paste(onto = "", value = "") {
    const clip = localStorage.getItem("vistaline-keys");
    if (!clip) return notice("Copy some keys first, with Ctrl C.", "info");
    const several = JSON.parse(clip).length > 1;
    return this.scene.edit("paste_keys", { clip, frame: this.scene.frame, onto, value: several ? "" : value });
  }
}

const short = (words) => (words.length > 11 ? `${words.slice(0, 10)}…` : words);
