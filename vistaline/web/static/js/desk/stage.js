// Draws a shot's frames with WebGL as the server's matrices say, in linear light, back to front.
// It is asked by plain values and tells by plain values, so that it runs as well in a worker
// (`./stage-worker.js`) as on the page's own thread; `./screen.js` decides which.
import * as THREE from "/vendor/three.module.js";
import { Cards } from "./cards.js";
import { Cloths } from "./cloths.js";
import { Looks, pass, target } from "./looks.js";
import { Motes } from "./motes.js";
import { Over } from "./over.js";
import { Passing } from "./passing.js";
import { Tables } from "./tables.js";
import { ADD_FRAGMENT, COPY_FRAGMENT, OUT_FRAGMENT } from "./shaders.js";

const FEW = 6; // looks of a layer that are fetched at once
const LOOK = 3; // ms between two looks at whether what was asked for is drawn

/** What frames are drawn on: reliefs are told by depth what of themselves is before what. */
const ground = (width, height) => target(width, height, { depthBuffer: true });

export class Stage {
  /**
   * @param {HTMLCanvasElement | OffscreenCanvas} canvas
   * @param {(what: string, value?: any) => void} told hears of each "look" that is here, "looks" when
   *   all are, and "free" when what was asked for is drawn: { took, pixels, coming }.
   */
  constructor(canvas, told) {
    this.told = told;
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: false, alpha: false });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.sortObjects = true;
    this.renderer.autoClear = false; // a frame with blended cards is drawn in several passes
    this.renderer.setPixelRatio(1);
    this.eye = new THREE.Camera();
    this.looks = new Looks(this.renderer, (name) => this.told("look", name));
    this.tables = new Tables();
    this.passing = new Passing(this.looks);
    this.cloths = new Cloths((what) => this.told("cloth", what));
    this.cards = new Cards(this.looks, this.tables, this.passing, this.cloths);
    this.shots = new Map(); // by the number the page gave each
    this.programs = new Set();
    this.light = ground(2, 2);
    this.smaller = new Map();
    this.copy = pass(COPY_FRAGMENT);
    this.copying = new THREE.Scene().add(this.copy);
    this.adding = pass(ADD_FRAGMENT, { share: { value: 1 } });
    this.added = new THREE.Scene().add(this.adding);
    Object.assign(this.adding.material, { transparent: true, blending: THREE.CustomBlending, blendSrc: THREE.SrcAlphaFactor, blendDst: THREE.OneMinusSrcAlphaFactor });
    this.sheet = pass(OUT_FRAGMENT, { checks: { value: false }, marks: { value: false }, ...this.tables.uniforms });
    this.out = new THREE.Scene().add(this.sheet);
    this.motes = new Motes(this.renderer);
    this.over = new Over(this.renderer);
  }

  /** Take new shots, forget all but those listed, and fetch what is needed to draw them. */
  async keep(taken, listed) {
    this.listed = listed; // another list may come while looks are fetched
    for (const [number, shot] of taken) this.shots.set(number, this.#linked(shot));
    for (const [, shot] of taken) await this.#prepare(shot);
    for (const number of this.shots.keys()) if (!this.listed.includes(number)) this.shots.delete(number);
    this.cards.keepOnly([...this.shots.values()].flatMap(({ layers }) => layers));
    this.cloths.keepOnly([...this.shots.values()].flatMap(({ cloths }) => Object.values(cloths ?? {})));
  }

  #linked(shot) {
    shot.byId = new Map(shot.layers.map((layer) => [layer.id, layer]));
    shot.looks = new Map();
    shot.frames.forEach((record, n) => Object.assign(record, { n, tracks: shot.tracks, tables: shot.tables, passing: shot.passing, base: shot }));
    return shot;
  }

  /** Fetch the looks of a shot that are needed first, and begin to fetch the rest. */
  async #prepare({ layers, tracks, textures, looks, passing, reliefs = {} }) {
    // Of what looks different in many frames the rest comes later.
    const later = new Set(Object.values(tracks).flatMap(({ looks: changing = [] }) => (changing.length > FEW ? changing.slice(1) : []).map(([, name]) => name)));
    // What is in sight is not waited for.
    for (const { looks: changing = [] } of Object.values(tracks)) later.delete(changing.findLast(([from]) => from <= (this.sight ?? 0))?.[1]);
    for (const { texture } of layers) later.delete(texture); // what a layer looks like but for a while
    const [now, then] = [false, true].map((waits) => Object.entries(textures).filter(([name, address]) => address && later.has(name) === waits));
    await this.passing.fetch(passing);
    await Promise.all(now.map(async ([name, address]) => looks.set(name, await this.looks.fetch(address))));
    await this.cards.make(layers, reliefs);
    const begins = new Map(Object.values(tracks).flatMap(({ looks: changing = [] }) => changing.map(([from, name]) => [name, from])));
    this.#fetchLater(then, looks, begins);
  }

  /** What is in sight first, then what comes next to it. */
  async #fetchLater(wanted, looks, begins) {
    const waiting = new Map(wanted);
    const away = (name) => {
      const frames = (this.sight ?? 0) - (begins.get(name) ?? 0);
      return frames >= 0 ? frames : 0.5 - 2 * frames; // what is there already comes before what will be
    };
    while (waiting.size) {
      if (this.disposed) return;
      const name = [...waiting.keys()].reduce((one, other) => (away(other) < away(one) ? other : one));
      const address = waiting.get(name);
      waiting.delete(name);
      looks.set(name, await this.looks.fetch(address));
      this.told("look", name);
    }
    this.told("looks");
  }

  /** The record of what is asked for: a frame of a shot, or one that is only tried out on it. */
  #record({ shot: number, frame, tried }) {
    const shot = this.shots.get(number);
    this.sight = frame ?? this.sight;
    return tried ? { ...tried, base: shot } : shot.frames[frame];
  }

  #size([width, height]) {
    const { light } = this;
    if (light.width === width && light.height === height) return;
    this.renderer.setSize(width, height, false);
    light.setSize(width, height);
    for (const each of this.smaller.values()) each.dispose();
    this.smaller.clear();
  }

  /** A smaller target: made once a size, as resizing one would wait for all that is being drawn. */
  #coarse(divisor) {
    if (divisor === 1) return this.light;
    if (!this.smaller.has(divisor)) {
      const [width, height] = [this.light.width, this.light.height].map((side) => Math.max(1, Math.round(side / divisor)));
      this.smaller.set(divisor, ground(width, height));
    }
    return this.smaller.get(divisor);
  }

  /** The matrix of what the camera sees through a point of its lens, right and up in shares of its opening. */
  #through({ clip, camera }, point) {
    const e = [...clip];
    point.forEach((share, row) => camera.focus.aside[row].forEach((most, column) => (e[4 * column + row] += share * most)));
    return e;
  }

  #paint(record, onto, { window, shares = {}, tinted = false, checks = false, clipped = false, motes = null }, point = null) {
    const [across, up] = window;
    const { cards, renderer } = this;
    cards.lamps.clips.value = !clipped;
    const scaled = new THREE.Matrix4().makeScale(across, up, 1);
    cards.middle.value.fromArray(record.clip).premultiply(scaled);
    cards.clip.value.fromArray(point ? this.#through(record, point) : record.clip).premultiply(scaled);
    cards.behind.frame.value.set(onto.width, onto.height);
    const how = { share: point ? 1.2 / Math.sqrt(record.base.lens.length) : 1, tinted };
    this.looks.fetchCopies(record);
    cards.place(record, shares);
    renderer.setClearColor(this.#sky(record), checks ? 0 : 1);
    renderer.setRenderTarget(onto);
    renderer.clear();
    let waiting = [];
    const lay = () => {
      waiting.forEach((card, n) => Object.assign(card, { visible: true, renderOrder: n }));
      renderer.setRenderTarget(onto);
      if (waiting.length) renderer.render(cards.world, this.eye);
      for (const card of waiting) card.visible = false;
      waiting = [];
    };
    const between = motes && this.motes.split(motes);
    const strew = (n) => {
      if (!between?.has(n)) return;
      lay();
      this.motes.draw(between.get(n), onto, [across, up]);
    };
    for (const [n, id] of record.order.entries()) {
      strew(n);
      const card = cards.byId.get(id);
      if (!card || !card.material.uniforms.opacity.value) continue;
      cards.ready(card, record.base.byId.get(id), record, onto, onto.width * across, how);
      const blends = card.material.uniforms.mode.value > 0;
      if (blends) {
        lay();
        this.#keepBehind(onto);
      }
      waiting.push(card, ...cards.shadowsOn(id, card, record));
      if (blends) lay();
    }
    lay();
    strew(record.order.length);
    this.over.add(record.air, onto, [across, up]);
    this.#keepPrograms();
    this.tables.finish(record, window);
    this.#shows(onto.texture, checks, clipped);
  }

  /** What was compiled stays: a card that goes out of focus and back would wait for it again. */
  #keepPrograms() {
    for (const program of this.renderer.info.programs ?? []) {
      if (this.programs.has(program)) continue;
      this.programs.add(program);
      program.usedTimes += 1;
    }
  }

  /** What the last pass brings to the screen. */
  #shows(texture, checks = false, marks = false) {
    const { uniforms } = this.sheet.material;
    [uniforms.picture.value, uniforms.checks.value, uniforms.marks.value] = [texture, checks, marks];
  }

  #colour(background) {
    if (this.ground?.name !== background) this.ground = Object.assign(new THREE.Color(background), { name: background });
    return this.ground;
  }

  /** The background in this frame's light and air. */
  #sky({ base, air: { fogs, gain } }) {
    const ground = this.#colour(base.background);
    const around = fogs.filter(([, , thins, , , , sky]) => sky && !thins);
    if (!around.length && gain === 1) return ground;
    const dense = around.reduce((sum, [each]) => sum + each, 0);
    const mixed = [3, 4, 5].map((c) => around.reduce((sum, fog) => sum + (fog[0] * fog[c]) / dense, 0));
    const sky = new THREE.Color();
    return around.length ? sky.fromArray(mixed.map((value) => value * gain)) : sky.copy(ground).multiplyScalar(gain);
  }

  /** Copy what is drawn so far, for a card to be blended with. */
  #keepBehind({ width, height, texture }) {
    if (this.kept?.width !== width || this.kept?.height !== height) {
      this.kept?.dispose();
      this.kept = target(width, height, { minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter });
    }
    this.copy.material.uniforms.picture.value = texture;
    this.renderer.setRenderTarget(this.kept);
    this.renderer.render(this.copying, this.eye);
    this.cards.behind.texture.value = this.kept.texture;
  }

  /**
   * Draw a frame, with a `coarse`th of its pixels each way; with another beside it, both half as
   * large. `view` tells how: the canvas' `size`, the frame's share of it (`window`), what share of
   * a layer is shown (`shares`, by its id), whether `tinted` by focus, whether over `checks`, and
   * whether what is `clipped` is marked.
   */
  draw(sight, view, coarse = 1, beside = null) {
    this.#size(view.size);
    const onto = this.#coarse(coarse);
    const [width, height] = view.size;
    const half = [width / 2, height / 2];
    this.#paint(this.#record(sight), onto, view);
    this.renderer.setRenderTarget(null);
    this.renderer.setClearColor(0x000000, 1);
    this.renderer.clear();
    if (beside) this.renderer.setViewport(0, height / 4, ...half);
    this.renderer.render(this.out, this.eye);
    if (beside) {
      this.#paint(this.#record(beside), onto, view);
      this.renderer.setRenderTarget(null);
      this.renderer.setViewport(half[0], height / 4, ...half);
      this.renderer.render(this.out, this.eye);
      this.renderer.setViewport(0, 0, width, height);
    }
    this.#time(onto);
  }

  /** Add what is seen through the n-th point of the lens to the mean of those before, and show it. */
  gather(sight, view, n) {
    const { width, height } = this.light;
    if (this.sum?.width !== width || this.sum?.height !== height) {
      this.sum?.dispose();
      this.sum = target(width, height);
    }
    this.#mean(this.#record(sight), n, this.light, this.sum, view);
    this.renderer.setRenderTarget(null);
    this.renderer.render(this.out, this.eye);
    this.#time(this.light);
  }

  #mean(record, n, light, sum, view) {
    this.#paint(record, light, view, record.base.lens[n]);
    const { uniforms } = this.adding.material;
    [uniforms.picture.value, uniforms.share.value] = [light.texture, 1 / (n + 1)];
    this.renderer.setRenderTarget(sum);
    this.renderer.render(this.added, this.eye);
    this.#shows(sum.texture);
  }

  /** Tell when what was asked for is drawn, and what it took: with or without a graphics card differs by a thousand. */
  #time({ width, height }) {
    const gl = /** @type {WebGL2RenderingContext} */ (this.renderer.getContext());
    const began = performance.now();
    const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    const look = () => {
      if (this.disposed) return;
      const lost = gl.isContextLost();
      if (!lost && gl.getSyncParameter(fence, gl.SYNC_STATUS) !== gl.SIGNALED) return setTimeout(look, LOOK);
      gl.deleteSync(fence);
      this.told("free", { took: performance.now() - began, pixels: width * height, coming: this.looks.coming });
    };
    setTimeout(look, LOOK);
  }

  /** A frame's pixels, 8-bit RGBA rows from the top, at any size, once all it is drawn of is here. */
  async snapshot(sight, view, gathered = false) {
    const record = this.#record(sight);
    this.looks.fetchCopies(record);
    await Promise.all([this.looks.settled, this.cloths.settled(record)]);
    const [width, height] = view.size;
    const light = ground(width, height);
    const sum = gathered ? target(width, height) : null;
    const codes = new THREE.WebGLRenderTarget(width, height, { depthBuffer: false });
    if (sum) record.base.lens.forEach((_, n) => this.#mean(record, n, light, sum, view));
    else this.#paint(record, light, view);
    this.renderer.setRenderTarget(codes);
    this.renderer.render(this.out, this.eye);
    const upward = new Uint8Array(width * height * 4);
    this.renderer.readRenderTargetPixels(codes, 0, 0, width, height, upward);
    this.renderer.setRenderTarget(null);
    for (const each of [light, sum, codes]) each?.dispose();
    const pixels = new Uint8Array(upward.length);
    const row = width * 4;
    for (let y = 0; y < height; y++) pixels.set(upward.subarray((height - 1 - y) * row, (height - y) * row), y * row);
    return pixels;
  }

  dispose() {
    this.disposed = true;
    this.cloths.dispose();
    for (const each of [this.kept, this.sum, this.light, ...this.smaller.values()]) each?.dispose();
    this.renderer.dispose();
  }
}
