// The shot as the server describes it. Every number here came from there; edits and previews of
// edits go there. Emits: "change" (new data), "frame", "choose".
import { clearNotice, notice, refuse } from "../page/notice.js";
import { queue } from "../page/queue.js";
import { unpack } from "./tracks.js";

const token = () => document.querySelector('meta[name="csrf-token"]').content;

export class Scene extends EventTarget {
  constructor(address) {
    super();
    this.address = address;
    this.data = null;
    this.shown = null; // a preview's data while a drag lasts
    this.frame = 0;
    this.tapped = new Set(); // frames marked while it plays, until it stops
    this.layer = ""; // a layer's id, or "mount:" or "group:" with what it is called
    this.also = new Set(); // more layers, chosen with it
    this.solo = new Set();
    this.keys = []; // those that are chosen
    this.dims = false;
    this.framing = 0;
    this.as = "cut"; // what is seen: the shot as it is cut, or all through the directed "camera"
    this.keying = false;
    this.dragging = false;
    this.queued = null;
    this.asking = false;
  }

  /** What to draw now: the scene, and the record of the frame in sight. */
  get current() {
    const data = this.shown ?? this.data;
    return { data, record: data.frames[this.shown ? 0 : this.frame] };
  }

  /** Fetch the shot anew: first the frame in sight, which is soon here, then all of them. */
  async load() {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    if (this.data && this.sighted !== this.data.version) await this.#loadSight(turn);
    if (turn !== this.turn) return;
    const answer = await fetch(`${this.address}/scene.json?as=${this.as}`, { headers: { Accept: "application/json" } });
    const body = await answer.json();
    if (turn !== this.turn) return; // a later state is on its way
    if (!answer.ok) return notice(body.error);
    this.data = unpack(body);
    this.shown = null;
    this.frame = Math.min(this.frame, body.duration - 1);
    this.framing = Math.min(this.framing, body.framings.length - 1);
    const there = new Set([...body.layers.map((each) => each.id), ...body.mounts.map((each) => `mount:${each.id}`), ...body.lamps.map((each) => `lamp:${each.id}`), ...body.dressing.map((each) => each.id), ...body.layers.map((each) => `group:${each.group}`)]);
    if (this.layer && !there.has(this.layer)) this.choose({ layer: "" });
    this.#keepKeys();
    for (const id of [...this.also, ...this.solo]) if (!there.has(id)) for (const set of [this.also, this.solo]) set.delete(id);
    this.#remember();
    this.dispatchEvent(new Event("change"));
  }

  /** Of the chosen keys only those stay chosen that are still there. */
  #keepKeys() {
    const there = this.keys.filter(({ of, value, frame }) => this.data.rows.some((row) => row.of === of && row.value === value && row.keys.some((key) => key.frame === frame)));
    if (there.length === this.keys.length) return;
    this.keys = there;
    document.getElementById("chosen").elements.keys.value = JSON.stringify(there);
  }

  async #loadSight(turn) {
    const answer = await fetch(`${this.address}/scene.json?only=${this.frame}&as=${this.as}`, { headers: { Accept: "application/json" } });
    if (!answer.ok) return; // the whole will say why
    const body = await answer.json();
    if (turn !== this.turn || this.dragging || body.duration !== this.data.duration) return;
    this.shown = unpack(body);
    this.dispatchEvent(new Event("change"));
  }

  /** Fetch a take, or what `query` says, to be seen beside the route; with "" the route is alone. */
  async lookBeside(take, /** @type {Record<string, any>} */ query = { take }) {
    this.take = take;
    this.beside = null;
    this.besideQuery = take ? query : null;
    if (take) {
      const answer = await fetch(`${this.address}/scene.json?${new URLSearchParams({ as: this.as, ...query })}`, { headers: { Accept: "application/json" } });
      const body = await answer.json();
      if (!answer.ok) {
        this.take = "";
        this.besideQuery = null;
        notice(body.error);
      } else if (this.take === take) this.beside = unpack(body);
    }
    this.dispatchEvent(new Event("change"));
  }

  /** The shot is at this version now, whatever has been fetched of it. */
  reached(version) {
    if (this.data) this.data.version = version;
    queue.reached(version);
  }

  go(frame) {
    const last = this.data.duration - 1;
    this.frame = Math.max(0, Math.min(last, Math.round(frame)));
    this.#tellPlayhead();
    this.dispatchEvent(new Event("frame"));
  }

  /** While auto-key is on, what an edit changes is keyed at the playhead. */
  toggleAutoKey() {
    this.keying = !this.keying;
    document.getElementById("at").elements.auto_key.value = String(this.keying);
    this.dispatchEvent(new Event("choose"));
  }

  /** See the shot as it is "cut", or all of it through the directed "camera"; fetched by `load`. */
  seeAs(as) {
    this.as = as;
  }

  toggleDims() {
    this.dims = !this.dims;
    this.dispatchEvent(new Event("choose"));
  }

  /** From now on previews are shown, until the drag ends. */
  beginDrag() {
    this.dragging = true;
  }

  endDrag() {
    this.dragging = false;
  }

  get autoKey() {
    return Boolean(this.keying);
  }

  // Edits are made, and panels show values, at the playhead.
  #tellPlayhead() {
    for (const form of ["at", "chosen"]) document.getElementById(form).elements.playhead.value = this.frame;
  }

  /** Choose keys, each { of, value, frame }. */
  chooseKeys(keys) {
    this.keys = keys;
    document.getElementById("chosen").elements.keys.value = JSON.stringify(keys);
    this.dispatchEvent(new Event("choose"));
    document.body.dispatchEvent(new CustomEvent("chosen"));
  }

  /** Choose a layer, or with `more` add it to those that are chosen, or take it from them. */
  choose({ layer = this.layer, framing = this.framing, more = false } = {}) {
    if (more && layer && this.layer && !this.layer.includes(":")) {
      const all = this.chosen.includes(layer) ? this.chosen.filter((id) => id !== layer) : [...this.chosen, layer];
      this.layer = all[0] ?? "";
      this.also = new Set(all.slice(1));
    } else {
      if (layer === this.layer && framing === this.framing && !this.also.size) return;
      if (layer !== this.layer || !more) this.also = new Set();
      this.layer = layer;
      this.framing = framing;
    }
    this.#remember();
    this.dispatchEvent(new Event("choose"));
    document.body.dispatchEvent(new CustomEvent("chosen"));
  }

  /** The ids of all layers that are chosen: those of a group, or the one and those added to it. */
  get chosen() {
    if (this.layer.startsWith("group:")) {
      const group = this.layer.slice(6);
      return this.data.layers.filter((each) => each.group === group).map((each) => each.id);
    }
    if (!this.layer || this.layer.includes(":")) return [];
    return [this.layer, ...this.also];
  }

  /** Choose what a click on a layer means: its group, while that is folded. */
  meant(id, folded) {
    const group = this.data.layers.find((each) => each.id === id)?.group;
    return group && folded.has(group) ? `group:${group}` : id;
  }

  /** How much of a layer the live view shows, for working: alone, or with the others dimmed. */
  shownShare(id) {
    if (this.solo.size && !this.solo.has(id)) return 0;
    return this.dims && this.chosen.length && !this.chosen.includes(id) ? 0.15 : 1;
  }

  /** The same of all layers that are not shown in full. */
  get shares() {
    return Object.fromEntries(this.data.layers.map(({ id }) => [id, this.shownShare(id)]).filter(([, share]) => share !== 1));
  }

  toggleSolo(id) {
    if (!this.solo.delete(id)) this.solo.add(id);
    this.dispatchEvent(new Event("choose"));
  }

  /** Make an edit and keep it; resolves to the answer, or to null if it was refused. */
  async edit(verb, values) {
    this.queued = null;
    const wish = { playhead: this.frame, auto_key: this.autoKey, ...values };
    const answer = await queue.post(`${this.address}/edits/${verb}?frame=${this.frame}&as=${this.as}`, wish).catch(() => null);
    const body = answer ? await answer.json().catch(() => ({})) : {};
    if (!answer?.ok) {
      this.forget();
      refuse(body);
      return null;
    }
    clearNotice();
    if (body.scene.duration === this.data.duration) {
      this.shown = unpack(body.scene);
      this.sighted = body.version;
      this.dispatchEvent(new Event("change"));
    }
    document.body.dispatchEvent(new CustomEvent("shotchange", { detail: body }));
    return body;
  }

  /** Take the last edit back ("undo"), or make it again ("redo"); at the end nothing happens. */
  async step(way) {
    const answer = await queue.post(`${this.address}/${way}`, {}).catch(() => null);
    const body = answer ? await answer.json().catch(() => ({})) : {};
    if (!answer?.ok) return refuse(body);
    document.body.dispatchEvent(new CustomEvent("shotchange", { detail: body }));
  }

  /** Show what an edit would look like; the newest wish wins while one is being answered. */
  preview(verb, values, frame = this.frame) {
    this.queued = { verb, values, frame };
    if (!this.asking) this.#ask();
  }

  /** Drop a preview. */
  forget() {
    this.queued = null;
    if (!this.shown) return;
    this.shown = null;
    this.dispatchEvent(new Event("change"));
  }

  /** Keep layers to be pasted, here or in another shot. */
  async copy(layers) {
    const answer = await this.#post("copy", { layers });
    const body = await answer.json().catch(() => ({ error: "The server gave no answer. Try again." }));
    notice(answer.ok ? `${body.words} copied. Paste with Ctrl V, here or in another shot.` : body.error, answer.ok ? "info" : undefined);
  }

  /** Put what was copied last on this shot's stage. */
  paste() {
    return this.send(`${this.address}/paste`, {});
  }

  /** Ask for a change that is more than an edit: what it needs the server measures first. */
  async send(address, values) {
    const answer = await queue.post(address, { playhead: this.frame, ...values }).catch(() => null);
    const body = answer ? await answer.json().catch(() => ({})) : {};
    if (!answer?.ok) return refuse(body);
    clearNotice();
    document.body.dispatchEvent(new CustomEvent("shotchange", { detail: body }));
  }

  async pick(x, y, locked = false) {
    const query = new URLSearchParams({ x, y, frame: String(this.frame), as: this.as, ...(locked ? { locked: "true" } : {}) });
    const answer = await fetch(`${this.address}/pick?${query}`, { headers: { Accept: "application/json" } });
    return answer.ok ? (await answer.json()).layer : null;
  }

  async #ask() {
    this.asking = true;
    while (this.queued) {
      const wish = this.queued;
      this.queued = null;
      const answer = await this.#post(`preview/${wish.verb}?frame=${wish.frame}&as=${this.as}`, wish.values);
      const body = await answer.json().catch(() => null);
      if (!answer.ok) {
        if (body) notice(body.error);
        continue;
      }
      clearNotice(); // what was refused a moment ago holds no longer
      if (this.dragging) {
        this.shown = Object.assign(unpack(body), { wish: wish.values });
        this.dispatchEvent(new Event("change"));
      }
    }
    this.asking = false;
  }

  #post(path, values) {
    return this.ask(`${this.address}/${path}`, values);
  }

  /** Send values to an address of this shot. */
  ask(address, values) {
    return fetch(address, {
      method: "POST",
      headers: { Accept: "application/json", "X-CSRFToken": token() },
      body: new URLSearchParams(Object.entries({ playhead: this.frame, auto_key: this.autoKey, ...values }).flatMap(([key, value]) => (Array.isArray(value) ? value.map((each) => [key, each]) : [[key, value]]))),
    });
  }

  // What panels are asked for, and which version edits are made against.
  #remember() {
    const chosen = document.getElementById("chosen");
    chosen.elements.layer.value = this.layer;
    chosen.elements.several.value = JSON.stringify(this.chosen);
    chosen.elements.framing.value = this.framing;
    chosen.elements.frame.value = this.data.framings[this.framing]?.frame ?? 0;
    queue.reached(this.data.version);
    this.#tellPlayhead();
  }
}
