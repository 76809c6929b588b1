// The desk of Arrange and Direct: one scene, its views, the keyboard.
import { editOf, isThing } from "../dress/things.js";
import { Outlining } from "../dress/outlining.js";
import { Scopes } from "../dress/scopes.js";
import { LookAhead } from "./ahead.js";
import { hint, notice } from "../page/notice.js";
import { Panes } from "./panes.js";
import { silenced, taken } from "../page/keyboard.js";
import { Marking } from "../arrange/marking.js";
import { Plan } from "./plan.js";
import { Proof } from "./proof.js";
import { Route } from "../direct/route.js";
import { Rows } from "../direct/rows.js";
import { Scene } from "./scene.js";
import { Transport } from "./transport.js";
import { Turning } from "./turning.js";
import { Typed } from "./typed.js";
import { Views } from "./views.js";
import { Viewfinder } from "./viewfinder.js";

// Fields that are kept as soon as they change.
const VALUES = '#inspector form[hx-trigger^="change"] :is(input.num, input[type=color], textarea), .when';

/** Keep a choice that the server is to know when it draws the page. */
const keep = (name, value) => (document.cookie = `${name}=${value}; path=/; max-age=31536000; SameSite=Lax`);

/** What a part of a panel that unfolds is known by, when the panel is fetched anew. */
const partName = (part) => part.dataset.unfolds ?? part.querySelector("summary").firstChild.textContent.trim();

/** Two who draw in the picture: whoever is in the hand has the presses and the keys. */
class Either {
  constructor(one, other) {
    this.both = [one, other];
  }

  get on() {
    return this.both.some((each) => each.on);
  }

  stop() {
    for (const each of this.both) if (each.on) each.stop();
  }

  press(event) {
    // Who is in the hand first: what has been marked can be pressed at any time.
    return this.both.toSorted((one, other) => Number(other.on) - Number(one.on)).some((each) => each.press(event));
  }

  key(event) {
    return this.both.some((each) => each.on && each.key?.(event));
  }

  marks() {
    return this.both.flatMap((each) => each.marks());
  }

  pressed() {
    for (const each of this.both) each.pressed();
  }
}

export class Desk {
  constructor(element) {
    this.element = element;
    const bench = element.dataset.bench;
    this.scene = new Scene(element.dataset.shot);
    this.transport = new Transport(element, this.scene);
    this.transport.onRest = () => this.#keepMarks();
    this.folded = new Set(JSON.parse(localStorage.getItem(`vistaline-folded-${element.dataset.shot}`) ?? "[]"));
    this.viewfinder = new Viewfinder(element, this.scene, bench, this.folded);
    this.plans = ["above", "side"].map((view) => new Plan(element, this.scene, bench, view));
    this.proof = new Proof(element, this.scene, this.viewfinder, this.transport);
    this.ahead = new LookAhead(element, this.scene, this.viewfinder, this.transport);
    this.panes = new Panes(element);
    this.turning = new Turning(element, this.scene);
    this.views = new Views(element, this.viewfinder, this.scene);
    if (bench === "arrange") this.marking = this.viewfinder.marking = new Either(new Marking(element, this.scene, this.viewfinder), new Outlining(element, this.scene, this.viewfinder));
    if (bench === "dress") this.scopes = new Scopes(element, this.scene);
    if (bench === "dress") this.marking = new Outlining(element, this.scene, this.viewfinder);
    this.directs = bench === "direct";
    if (bench !== "arrange") {
      this.scene.seeAs(localStorage.getItem("vistaline-as") ?? "camera");
      this.route = new Route(element, this.scene, this.transport);
      this.rows = new Rows(element, this.scene, this.route);
    }
    this.unfolded = new Set(); // what was opened on the panels, which are fetched anew
    this.typed = new Typed(element, VALUES);
    this.#listen();
    this.#tellFolded();
    this.onSwap = ({ detail }) => {
      if (detail.ctx?.target?.id === "inspector") this.typed.arrived(detail.ctx);
      this.#settle();
    };
    this.turns = 0; // how often something else was chosen; a panel asked for before is a stale one
    this.onAsk = ({ target, detail: { ctx } }) => target.id === "inspector" && (ctx.turn = this.turns);
    this.onAnswer = ({ target, detail: { ctx } }) => target.id === "inspector" && ctx.turn === this.turns && this.#turned();
    document.body.addEventListener("htmx:config:request", this.onAsk);
    document.body.addEventListener("htmx:after:swap", this.onSwap);
    document.body.addEventListener("htmx:finally:request", this.onAnswer);
    element.addEventListener("input", (event) => event.target.id === "find" && this.#settle());
    for (const name of ["focusin", "focusout"]) element.addEventListener(name, ({ target }) => target.closest("[data-tints]") && this.viewfinder.tint(name === "focusin"));
    this.scene.addEventListener("tint", (event) => this.viewfinder.tint(/** @type {any} */ (event).detail));
    element.addEventListener("keydown", (event) => {
      if (event.target.id !== "find" || event.key !== "Enter") return;
      event.preventDefault();
      element.querySelector("li:not([hidden]) > .depth-card")?.click();
      event.target.blur();
    });
    this.scene.load().then(() => {
      if (new URLSearchParams(location.search).has("play")) this.#playWhenReady();
    });
  }

  #listen() {
    const { scene, element } = this;
    document.body.addEventListener("shotchange", ({ detail }) => {
      // At once, so that the next edit is made against this version even before the scene is here.
      scene.reached(detail.version);
      scene.load().then(() => detail.made && this.#chooseMade(detail.made));
      if (scene.take) scene.lookBeside(scene.take, scene.besideQuery);
    });
    scene.addEventListener("change", () => this.#numbers());
    scene.addEventListener("frame", () => this.#rest());
    element.addEventListener("opentab", ({ detail }) => this.#open(detail));
    scene.addEventListener("choose", () => {
      if (scene.layer !== this.meant?.layer || scene.framing !== this.meant.framing) this.#turnTo();
      this.meant = { layer: scene.layer, framing: scene.framing };
      this.#pressed();
    });
    element.addEventListener("click", (event) => {
      this.#click(event);
      const move = event.target.closest("[data-move]");
      if (move) this.#choose(move.dataset.move);
      if (event.target.closest('[data-do="add-framing"]')) this.#addFraming();
      if (event.target.closest('[data-do="rectangles"]')) this.#drawFramings();
      if (event.target.closest('[data-do="see-now"]')) this.#seeNow();
      if (event.target.closest('[data-do="mark"]')) this.#mark();
      if (event.target.closest('[data-do="as-cut"]')) this.#seeCut();
      if (event.target.closest("[data-beside]")) this.#beside(event.target.closest("[data-beside]").dataset.beside);
      if (event.target.closest('[data-do="cut-here"]')) this.#cut(false);
      if (event.target.closest('[data-do="cut-fastest"]')) this.#cut(true);
      if (event.target.closest("[data-camera]")) scene.edit("direct_camera", { camera: event.target.closest("[data-camera]").dataset.camera });
      if (event.target.closest("[data-tab]")) this.#open(event.target.closest("[data-tab]").dataset.tab);
    });
    element.addEventListener("orders", ({ detail }) => scene.edit("order_dressing", detail));
    element.addEventListener("curvechange", ({ target, detail }) => {
      const [[channel, points]] = Object.entries(detail);
      scene.edit("set_curve", { thing: target.dataset.thing, channel, points: JSON.stringify(points) });
    });
    element.addEventListener("easechange", ({ detail }) => {
      const [x1, y1, x2, y2] = detail.points.map((value) => value.toFixed(3));
      scene.edit(detail.verb, { ...detail.values, ease: "own", x1, y1, x2, y2 });
    });
    element.addEventListener("change", ({ target }) => this.#remember(target));
    element.addEventListener("toggle", ({ target }) => {
      if (target.closest("#inspector")) this.unfolded[target.open ? "add" : "delete"](partName(target));
    }, true);
    this.#recall();
    this.onKey = (event) => this.#key(event);
    document.addEventListener("keydown", this.onKey);
  }

  /** What an edit made is chosen: on Arrange layers or a mount, on Direct a framing. */
  #chooseMade({ layers = [], mount, lamp, thing, framing, layout, frame }) {
    const { scene } = this;
    if (layout) {
      scene.go(frame); // where it begins there may be nothing to be seen of it
      return scene.choose({ layer: layout });
    }
    if (thing) return scene.choose({ layer: thing });
    if (lamp) return scene.choose({ layer: `lamp:${lamp}` });
    if (this.directs) return framing !== undefined && scene.choose({ framing });
    if (mount) return scene.choose({ layer: `mount:${mount}` });
    layers.forEach((layer, n) => scene.choose({ layer, more: n > 0 }));
  }

  /** Something else is chosen: until its panel is here, the one before does nothing. */
  #turnTo() {
    this.typed.clear();
    const inspector = document.getElementById("inspector");
    inspector.dataset.turns = "";
    if (!this.meant) return; // there is none before the first
    this.turns += 1;
    // What is about the shot, and not about what was chosen, stays open.
    const staying = [...inspector.querySelectorAll("details[data-stays]")].map(partName);
    this.unfolded = new Set(staying.filter((name) => this.unfolded.has(name)));
    inspector.inert = true;
  }

  /** The panel that was asked for is here, or will not come. */
  #turned() {
    const inspector = document.getElementById("inspector");
    inspector.inert = false;
    if ("turns" in inspector.dataset) {
      inspector.scrollTop = 0;
      // What is at work on what was chosen is not hidden in a fold.
      for (const part of inspector.querySelectorAll("details[data-opens]")) {
        this.unfolded.add(partName(part));
        part.open = true;
      }
      // Below a list: what was chosen there comes into sight.
      inspector.querySelector("[data-begins]")?.scrollIntoView({ block: "center" });
    }
    delete inspector.dataset.turns;
  }

  /** Clicks on the depth scale, and on what panels offer to be pointed at. */
  #click(event) {
    const { scene } = this;
    const at = (selector) => event.target.closest(selector);
    const chooses = at("[data-layer].depth-card, [data-chooses]");
    if (chooses) {
      const id = chooses.dataset.chooses ?? chooses.dataset.layer;
      scene.choose({ layer: id, more: event.shiftKey && !id.includes(":") });
    }
    if (at("[data-solo]")) scene.toggleSolo(at("[data-solo]").dataset.solo);
    if (at("[data-fold]")) this.#fold(at("[data-fold]").dataset.fold);
    const sets = at("[data-sets]")?.dataset.sets;
    if (sets) scene.edit("set_seen", { layer: scene.layer, [sets]: scene.frame });
    if (at("[data-point]")) this.#point(at("[data-point]").dataset);
    if (at(".pinned")) this.#pin(at(".pinned").dataset);
    if (at('[data-do="auto-key"]')) this.#toggleAutoKey();
    if (at('[data-do="before"]')) this.#seeBefore();
    if (this.rows) this.#clickKeys(at);
    if (at("[data-copy]")) this.#copy();
    if (at("[data-paste]")) this.#paste();
  }

  /** Set a key for a value at the playhead, or remove the one that is there. */
  #pin({ of, value, state }) {
    const { scene } = this;
    const { frame } = scene;
    if (state !== "here") {
      return scene.edit("set_key", { of, value, frame }).then((done) => done && this.rows && scene.chooseKeys([{ of, value, frame }]));
    }
    return scene.edit("remove_keys", { keys: JSON.stringify([{ of, value, frame }]) });
  }

  #toggleAutoKey() {
    this.scene.toggleAutoKey();
    this.element.querySelector('[data-do="auto-key"]').setAttribute("aria-pressed", String(this.scene.autoKey));
  }

  /** What the panel of keys offers. */
  #clickKeys(at) {
    const wanted = () => ["#v-key-of", "#v-key-value"].map((id) => this.element.querySelector(id).value);
    if (at('[data-do="copy-keys"]')) this.rows.copy();
    if (at('[data-do="paste-keys"]')) this.rows.paste();
    if (at('[data-do="paste-keys-onto"]')) this.rows.paste(...wanted());
    if (at('[data-do="set-key"]')) {
      const [of, value] = wanted();
      this.rows.set({ of, value });
    }
    const row = at("[data-row-of]")?.dataset;
    if (row) this.rows.chooseRow(this.scene.data.rows.find(({ of, value }) => of === row.rowOf && value === row.rowValue));
  }

  /** Values with keys are shown as they are where the playhead comes to rest. */
  #rest() {
    clearTimeout(this.resting);
    if (this.directs || !this.scene.data?.rows.length) return;
    this.resting = setTimeout(() => {
      if (this.transport.playing || this.scene.dragging) return;
      for (const panel of ["chosen", "folded"]) document.body.dispatchEvent(new CustomEvent(panel));
    }, 180);
  }

  /** Open one of the panels beside the plan. */
  #open(tab) {
    if (document.getElementById("chosen").elements.tab.value === tab) return;
    keep("vistaline-tab", tab);
    document.getElementById("chosen").elements.tab.value = tab;
    document.body.dispatchEvent(new CustomEvent("chosen"));
  }

  /** Choices about how to work, not about the shot, are kept in this browser. */
  #remember(field) {
    if (field.dataset.kept) localStorage.setItem(field.dataset.kept, field.type === "checkbox" ? String(field.checked) : field.value);
    if ("unit" in field.dataset && field.tagName === "SELECT") {
      keep("vistaline-unit", field.value);
      document.body.dispatchEvent(new CustomEvent("chosen"));
    }
  }

  #recall() {
    for (const field of this.element.querySelectorAll("[data-kept]")) {
      const kept = localStorage.getItem(field.dataset.kept);
      if (kept === null) continue;
      if (field.type === "checkbox") field.checked = kept === "true";
      else field.value = kept;
    }
  }

  /** See the shot as it is cut, or all of it through the camera that is directed. */
  #seeCut() {
    const { scene } = this;
    scene.seeAs(scene.as === "cut" ? "camera" : "cut");
    localStorage.setItem("vistaline-as", scene.as);
    scene.load();
  }

  /** See the version before the last edit beside this one; asked again, this one alone. */
  async #seeBefore() {
    await this.scene.lookBeside(this.scene.take ? "" : "before", { before: 1 });
    this.element.querySelector('[data-do="before"]').setAttribute("aria-pressed", String(this.scene.besideQuery?.before === 1));
  }

  /** See a take beside the route; asked again, the route alone. */
  async #beside(take) {
    await this.scene.lookBeside(this.scene.take === take ? "" : take);
    this.#pressed();
  }

  /** Set a marker at the frame in sight; while it plays they are kept together when it stops. */
  #mark() {
    const { scene, transport } = this;
    scene.tapped.add(scene.frame);
    if (transport.playing) scene.dispatchEvent(new Event("tapped"));
    else this.#keepMarks();
  }

  #keepMarks() {
    const { scene } = this;
    if (!scene.tapped.size) return;
    const frames = [...scene.tapped];
    scene.tapped.clear();
    scene.edit("set_markers", { frames: JSON.stringify(frames) });
  }

  /** To the next marker, or the one before. */
  #toMarker(way) {
    const { scene, transport } = this;
    const frames = scene.data.markers.map(({ frame }) => frame);
    const to = way > 0 ? frames.find((frame) => frame > scene.frame) : frames.findLast((frame) => frame < scene.frame);
    transport.pause();
    if (to !== undefined) scene.go(to);
  }

  #cut(fastest) {
    const { scene } = this;
    scene.edit("cut_to", { frame: scene.frame, camera: scene.data.camera, fastest });
  }

  #drawFramings() {
    const on = !this.viewfinder.rectangles;
    this.viewfinder.rectangles = on;
    this.viewfinder.gate.classList.toggle("asking", on);
    this.element.querySelector('[data-do="rectangles"]').setAttribute("aria-pressed", String(on));
    this.said?.();
    this.said = on ? hint("Draw what the next framing shows, one after the other. Shift puts it at the playhead, Alt zooms instead of going there. Escape ends.") : null;
  }

  #seeNow() {
    const { scene } = this;
    scene.edit("replace_framing", { framing: scene.framing, frame: scene.frame });
  }

  async #copyFraming() {
    const { scene } = this;
    const answer = await fetch(`${scene.address}/framing.json?${new URLSearchParams({ framing: String(scene.framing) })}`, { headers: { Accept: "application/json" } });
    if (!answer.ok) return;
    localStorage.setItem("vistaline-framings", JSON.stringify([await answer.json()]));
    notice("Framing copied. Paste it with Ctrl V, behind the chosen one, here or in another shot.", "info");
  }

  #pasteFraming() {
    const framings = localStorage.getItem("vistaline-framings");
    if (!framings) return notice("Copy a framing first, with Ctrl C.", "info");
    const { scene } = this;
    return scene.edit("paste_framings", { framings, after: scene.framing });
  }

  #fold(group) {
    if (!this.folded.delete(group)) this.folded.add(group);
    localStorage.setItem(`vistaline-folded-${this.element.dataset.shot}`, JSON.stringify([...this.folded]));
    this.#tellFolded();
    document.body.dispatchEvent(new CustomEvent("folded"));
  }

  #tellFolded() {
    document.getElementById("chosen").elements.folded.value = JSON.stringify([...this.folded]);
  }

  /** An edit that wants a point of the picture: the next click gives it; asked again, none does. */
  #point({ point: verb, pointLayer: layer, pointPick: picks, pointWith: field, pointTo: address, pointOf: callout, pointPlace: place }) {
    const { viewfinder, scene } = this;
    if (this.pointing === verb) return viewfinder.ask(null);
    const unsay = hint("Click that point in the viewfinder. Escape gives up.");
    const taken = async ({ x, y }) => {
      const also = /** @type {HTMLInputElement | null} */ (field && document.getElementById(field));
      if (address) return scene.send(address, { frame: scene.frame, x, y, [also.name]: also.value });
      const values = { layer: picks ? ((await scene.pick(x, y, true)) ?? "") : layer, frame: scene.frame, x, y };
      if (picks) Object.assign(values, { alone: scene.as === "camera" });
      if (also) values[also.name] = also.value;
      if (callout) values.callout = callout;
      if (place) values.place = place;
      scene.edit(verb, values);
    };
    viewfinder.tint(picks === "focus");
    viewfinder.ask(taken, () => {
      unsay();
      viewfinder.tint(false);
      this.pointing = null;
      this.#pressed();
    });
    this.pointing = verb;
    return this.#pressed();
  }

  #copy() {
    if (this.scene.chosen.length) this.scene.copy(this.scene.chosen);
  }

  #paste() {
    this.scene.paste();
  }

  #remove() {
    const { chosen } = this.scene;
    if (chosen.length) this.scene.edit("remove_layers", { layers: chosen });
  }

  #find() {
    const field = document.getElementById("find");
    field?.focus();
    field?.select();
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
    scene.edit("add_framing", { frame: at });
  }

  /** What a freshly fetched depth scale is not told by the server: what is found, what is alone. */
  #settle() {
    const wanted = document.getElementById("find")?.value.trim().toLowerCase() ?? "";
    for (const item of this.element.querySelectorAll(".depth-scale li")) item.hidden = !item.textContent.toLowerCase().includes(wanted);
    this.#pressed();
    this.marking?.pressed();
    for (const part of this.element.querySelectorAll("#inspector details:not([name])")) part.open = this.unfolded.has(partName(part));
    this.#recall();
    // A value is shown as it was understood, however it was typed, and as it is at the playhead.
    for (const field of this.element.querySelectorAll(VALUES)) if (!this.typed.has(field) && field.value !== field.defaultValue) field.value = field.defaultValue;
  }

  #pressed() {
    const { chosen, layer, solo } = this.scene;
    for (const card of this.element.querySelectorAll(".depth-card")) card.setAttribute("aria-pressed", String(card.dataset.layer === layer || chosen.includes(card.dataset.layer)));
    for (const button of this.element.querySelectorAll("[data-solo]")) button.setAttribute("aria-pressed", String(solo.has(button.dataset.solo)));
    for (const button of this.element.querySelectorAll("[data-chooses]")) button.setAttribute("aria-pressed", String(button.dataset.chooses === layer));
    for (const button of this.element.querySelectorAll("[data-beside]")) button.setAttribute("aria-pressed", String(button.dataset.beside === this.scene.take));
    for (const button of this.element.querySelectorAll("[data-point]")) button.setAttribute("aria-pressed", String(button.dataset.point === this.pointing));
  }

  /** The numbers of what is being dragged, as the drag goes. */
  #numbers() {
    const { shown, layer, framing } = this.scene;
    if (!shown) return;
    const { layers, framings, lamps, dressing } = shown.values;
    const values = { arrange: layers[layer], direct: framings[framing], dress: lamps[layer] ?? dressing[layer] }[this.element.dataset.bench];
    for (const field of this.element.querySelectorAll("#inspector [data-live]")) {
      const value = values?.[field.dataset.live];
      if (value !== undefined && !this.typed.has(field)) field.value = Number(value.toFixed(3));
    }
  }

  #key(event) {
    if (event.defaultPrevented || silenced(event) || taken(event)) return;
    const { scene, transport } = this;
    if (!scene.data) return;
    if (this.marking?.key?.(event)) return event.preventDefault();
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      return scene.step(event.shiftKey ? "redo" : "undo");
    }
    if ((event.ctrlKey || event.metaKey) && this.element.dataset.bench === "arrange" && !getSelection().toString()) {
      const deed = { c: () => this.#copy(), v: () => this.#paste() }[event.key.toLowerCase()];
      if (deed) return event.preventDefault(), deed();
    }
    if ((event.ctrlKey || event.metaKey) && this.route && !getSelection().toString()) {
      const keys = this.scene.keys.length > 0 || !this.directs;
      const deed = { c: () => (keys ? this.rows.copy() : this.#copyFraming()), v: () => (keys ? this.rows.paste() : this.#pasteFraming()) }[event.key.toLowerCase()];
      if (deed) return event.preventDefault(), deed();
    }
    if (event.altKey && this.rows && scene.keys.length && event.key.startsWith("Arrow")) {
      const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (step) return event.preventDefault(), this.rows.nudge(step * (event.shiftKey ? 10 : 1));
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const far = event.shiftKey ? 10 : 1;
    /** @type {Record<string, () => any>} */
    const deeds = {
      " ": () => !event.target.closest("button, summary, a") && (transport.toggle(), true),
      ArrowLeft: () => (transport.step(-far), true),
      ArrowRight: () => (transport.step(far), true),
      Home: () => (transport.step(-Infinity), true),
      End: () => (transport.step(scene.data.duration), true),
      o: () => (transport.toggleLoop(), true),
      j: () => (transport.shuttle(-1), true),
      k: () => (transport.pause(), true),
      l: () => (transport.shuttle(1), true),
      q: () => (this.proof.toggle(), true),
      u: () => (this.#seeBefore(), true),
      y: () => (this.#toggleAutoKey(), true),
      ...this.views.keys,
      m: () => (this.ahead.toggle(), true),
      0: () => (this.panes.toggleLarge(), true),
      Escape: () => (this.marking?.on ? this.marking.stop() : this.viewfinder.rectangles ? this.#drawFramings() : this.viewfinder.asking ? this.viewfinder.ask(null) : scene.choose({ layer: "" }), true),
    };
    if (this.element.dataset.bench === "arrange") {
      Object.assign(deeds, { f: () => (this.#find(), true), Delete: () => (this.#remove(), true), Backspace: () => (this.#remove(), true) });
    }
    if (isThing(scene.layer)) for (const key of ["Delete", "Backspace"]) deeds[key] = () => (scene.edit(...editOf(scene.layer, "remove_*")), true);
    if (this.rows && scene.keys.length) {
      for (const key of ["Delete", "Backspace"]) deeds[key] = () => (this.rows.remove(), true);
      deeds.Escape = () => (scene.chooseKeys([]), true);
    }
    if (this.directs) {
      for (const [key, move] of [["t", "truck"], ["d", "dolly"], ["z", "zoom"], ["p", "pan"], ["r", "roll"], ["c", "arc"], ["h", "crane"]]) deeds[key] = () => (this.#choose(move), true);
      deeds.a = () => (this.#addFraming(), true);
      deeds.e = () => (this.#drawFramings(), true);
      deeds.n = () => (scene.data.cuts.length && this.#seeCut(), true);
      deeds.s = () => (this.#seeNow(), true);
      deeds["."] = () => (this.#mark(), true);
      deeds.PageDown = () => (this.#toMarker(1), true);
      deeds.PageUp = () => (this.#toMarker(-1), true);
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
    if (deeds[event.key]?.()) event.preventDefault();
  }

  snapshot(width, height, frame, gathered) {
    return this.viewfinder.snapshot(width, height, frame, gathered);
  }

  dispose() {
    document.removeEventListener("keydown", this.onKey);
    document.body.removeEventListener("htmx:after:swap", this.onSwap);
    document.body.removeEventListener("htmx:config:request", this.onAsk);
    document.body.removeEventListener("htmx:finally:request", this.onAnswer);
    for (const view of [this.typed, this.viewfinder, this.proof, this.ahead, ...this.plans, this.route, this.turning]) view?.dispose();
  }
}
