// The proof: the shot's frames as the server renders them, over the live view. First small, then
// larger; those that are here are kept, so playing a range again costs nothing.
const BATCH = 8;
const AT_ONCE = 2;

export class Proof {
  constructor(desk, scene, viewfinder, transport) {
    this.scene = scene;
    this.viewfinder = viewfinder;
    this.transport = transport;
    this.on = false;
    this.asked = 0;
    this.sheet = desk.querySelector('[data-part="proof"]');
    this.note = desk.querySelector('[data-part="proof-note"]');
    this.button = desk.querySelector('[data-do="proof"]');
    this.button.addEventListener("click", () => this.toggle());
    scene.addEventListener("frame", () => this.#show());
    scene.addEventListener("change", () => this.#change());
    // What lies under a rendered frame need not be drawn: what draws it can render instead.
    viewfinder.covered = () => Boolean(this.#found);
    this.#forget();
  }

  /** The rendered frame that is in sight, if there is one. */
  get #found() {
    return this.on && !this.scene.shown ? this.kept.get(this.scene.frame) : undefined;
  }

  toggle() {
    this.on = !this.on;
    this.button.setAttribute("aria-pressed", String(this.on));
    if (!this.on) this.stopped?.abort();
    if (!this.on) this.viewfinder.draw();
    this.#change();
  }

  #forget() {
    this.stopped?.abort();
    this.stopped = new AbortController();
    this.kept = new Map(); // frame -> { blob, width }
    this.going = new Set(); // what is being fetched: frame and width
  }

  /** What is proofed, by name. */
  get #named() {
    const { data, as, take } = this.scene;
    return `${data.version} ${as} ${take ?? ""}`;
  }

  #change() {
    const { data, shown } = this.scene;
    if (!data) return;
    // A preview is none of the shot's versions: meanwhile the live view is seen.
    if (!shown && (this.name !== this.#named || this.stopped.signal.aborted)) {
      this.name = this.#named;
      this.#forget();
    }
    this.#show();
    this.#fetch();
  }

  get #range() {
    return this.transport.range ?? [0, this.scene.data.duration - 1];
  }

  /** The next frames that are not here: from the playhead on, all of them small before any larger. */
  #next() {
    const [first, last] = this.#range;
    const { width } = this.scene.data;
    const from = Math.min(Math.max(this.scene.frame, first), last);
    const order = [...Array(last - first + 1).keys()].map((n) => first + ((from - first + n) % (last - first + 1)));
    for (const size of [width / 4, width / 2]) {
      const wants = (frame) => (this.kept.get(frame)?.width ?? 0) < size && !this.going.has(`${frame} ${size}`);
      const start = order.findIndex(wants);
      if (start < 0) continue;
      let count = 1;
      while (count < BATCH && order[start + count] === order[start] + count && wants(order[start + count])) count++;
      return { start: order[start], count, size: Math.round(size) };
    }
    return null;
  }

  #fetch() {
    while (this.on && !this.scene.shown && this.asked < AT_ONCE) {
      const next = this.#next();
      if (!next) break;
      this.asked += 1;
      this.#load(next, this.stopped.signal).catch(() => {}).finally(() => {
        this.asked -= 1;
        this.#fetch();
      });
    }
    this.#tell();
  }

  async #load({ start, count, size }, signal) {
    const { kept, going } = this;
    const names = [...Array(count).keys()].map((n) => `${start + n} ${size}`);
    for (const name of names) going.add(name);
    const query = new URLSearchParams({ n: start, count, width: size, v: this.scene.data.version, as: this.scene.as });
    const answer = await fetch(`${this.scene.address}/proof?${query}`, { signal });
    if (!answer.ok) throw new Error("no proof");
    const reader = answer.body.getReader();
    let rest = new Uint8Array();
    for (let n = 0; n < count; ) {
      const { done, value } = await reader.read();
      if (done) break;
      const joined = new Uint8Array(rest.length + value.length);
      joined.set(rest);
      joined.set(value, rest.length);
      rest = joined;
      for (; rest.length >= 4; n++) {
        const length = new DataView(rest.buffer, rest.byteOffset).getUint32(0, true);
        if (rest.length < 4 + length) break;
        kept.set(start + n, { blob: new Blob([rest.slice(4, 4 + length)], { type: "image/jpeg" }), width: size });
        rest = rest.slice(4 + length);
        if (start + n === this.scene.frame) this.#show();
      }
      this.#tell();
    }
  }

  async #show() {
    const { frame } = this.scene;
    const found = this.#found;
    if (!found) {
      this.sheet.hidden = true;
      return this.on && !this.transport.playing ? this.#fetch() : undefined;
    }
    const picture = await createImageBitmap(found.blob);
    if (this.scene.frame !== frame || !this.on) return picture.close();
    const { x, y, width, height } = this.viewfinder.place;
    Object.assign(this.sheet.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px` });
    Object.assign(this.sheet, { width: picture.width, height: picture.height, hidden: false });
    this.sheet.getContext("2d").drawImage(picture, 0, 0);
    picture.close();
    this.drawn = frame;
  }

  #tell() {
    const { width } = this.scene.data;
    const [first, last] = this.#range;
    const count = (size) => [...this.kept].filter(([frame, each]) => frame >= first && frame <= last && each.width >= size).length;
    const all = last - first + 1;
    const half = count(width / 2);
    this.note.textContent = this.on ? (half === all ? "proof, half size" : `proof: ${count(width / 4)} of ${all} frames, ${half} of them in half size`) : "";
  }

  dispose() {
    this.stopped?.abort();
    this.on = false;
  }
}
