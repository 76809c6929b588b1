// Draws cards with WebGL as the server's matrices say, in linear light, back to front.
import * as THREE from "/vendor/three.module.js";
import { Copies, named } from "./copies.js";
import { ADD_FRAGMENT, BLENDED_FRAGMENT, CARD_FRAGMENT, CARD_VERTEX, COPY_FRAGMENT, OUT_FRAGMENT, OUT_VERTEX, PREMULTIPLY_FRAGMENT, SHADOW_FRAGMENT, SHADOW_VERTEX } from "./shaders.js";
import { lookOf, matrixOf, opacityOf } from "./tracks.js";


export class Stage {
  constructor(canvas) {
    /** What share of a layer's opacity is shown, by its id. */
    this.seen = (id) => 1;
    /** Told the name of each look that is here, and null when all are. */
    this.onLook = (name) => {};
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: false, alpha: false });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.sortObjects = true;
    this.renderer.autoClear = false; // a frame with blended cards is drawn in several passes
    this.world = new THREE.Scene();
    this.eye = new THREE.Camera();
    this.clip = { value: new THREE.Matrix4() };
    this.middle = { value: new THREE.Matrix4() }; // the same, through the middle of the lens
    this.window = [1, 1]; // the frame's share of the canvas
    this.shadows = [];
    this.onFree = null; // called when what was asked to be drawn is drawn
    this.shape = new THREE.PlaneGeometry(1, 1);
    this.cards = new Map();
    this.bodies = new Map(); // meshes of what is not flat, by their names
    this.textures = new Map();
    this.tinted = false; // while focus is being set
    this.copies = new Copies(
      (address) => this.loader.loadAsync(address).then((texture) => this.#premultiplied(texture, false)),
      (name) => this.disposed || this.onLook(name),
    );
    this.loader = new THREE.TextureLoader();
    this.light = this.#target(2, 2);
    this.behind = { texture: { value: null }, frame: { value: new THREE.Vector2() } };
    this.copy = this.#sheet(COPY_FRAGMENT);
    this.copying = new THREE.Scene().add(this.copy);
    this.adding = this.#sheet(ADD_FRAGMENT);
    this.adding.material.uniforms.share = { value: 1 };
    Object.assign(this.adding.material, { transparent: true, blending: THREE.CustomBlending, blendSrc: THREE.SrcAlphaFactor, blendDst: THREE.OneMinusSrcAlphaFactor });
    this.sheet = this.#sheet(OUT_FRAGMENT);
    this.sheet.material.uniforms.checks = this.checks = { value: false };
    this.out = new THREE.Scene().add(this.sheet);
  }

  /** A pass over the whole target. */
  #sheet(fragmentShader) {
    const uniforms = { picture: { value: null } };
    const material = new THREE.ShaderMaterial({ uniforms, vertexShader: OUT_VERTEX, fragmentShader, depthTest: false, depthWrite: false, blending: THREE.NoBlending });
    const sheet = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), material);
    sheet.frustumCulled = false;
    return sheet;
  }

  /** Bring a picture to linear premultiplied half floats, so that it is filtered as the renderer does. */
  #premultiplied(texture, whole = true) {
    texture.colorSpace = THREE.SRGBColorSpace;
    texture.generateMipmaps = false;
    texture.minFilter = texture.magFilter = THREE.NearestFilter;
    const { width, height } = texture.image;
    const target = new THREE.WebGLRenderTarget(width, height, {
      type: THREE.HalfFloatType, depthBuffer: false, generateMipmaps: whole, anisotropy: whole ? 4 : 1,
      minFilter: whole ? THREE.LinearMipmapLinearFilter : THREE.LinearFilter, magFilter: THREE.LinearFilter,
    });
    const sheet = this.#sheet(PREMULTIPLY_FRAGMENT);
    sheet.material.uniforms.picture.value = texture;
    this.renderer.setRenderTarget(target);
    this.renderer.render(new THREE.Scene().add(sheet), this.eye);
    this.renderer.setRenderTarget(null);
    sheet.material.dispose();
    texture.dispose();
    return target.texture;
  }

  #target(width, height) {
    return new THREE.WebGLRenderTarget(width, height, { type: THREE.HalfFloatType, depthBuffer: false });
  }

  /** Fetch the pictures that are not here yet; resolves when all can be drawn. */
  load(addresses) {
    // By address: it names the content, so a layer that is drawn anew gets its new look.
    const waits = Object.values(addresses).filter(Boolean).map((address) => {
      if (!this.textures.has(named(address))) {
        this.textures.set(named(address), this.loader.loadAsync(address).then((texture) => this.#premultiplied(texture)));
      }
      return this.textures.get(named(address));
    });
    return Promise.all(waits);
  }

  /** Wait until all that a frame is drawn of is here. */
  async settle(record) {
    this.copies.fetch(record);
    await this.copies.settled;
  }

  /** Tell a card how it is out of focus in this frame: nothing, while its copies are on their way. */
  #soften(card, layer, record, width) {
    const { focus } = record.camera;
    const name = lookOf(record, layer.id) ?? layer.texture;
    const copies = focus && !layer.sharp && focus.blur > 0 ? this.copies.of(record, name) : null;
    this.#define(card.material, "BLURRED", Boolean(copies));
    card.userData.disc = 0;
    const tinted = Boolean(this.tinted && focus && !layer.sharp);
    this.#define(card.material, "TINTED", tinted);
    if (tinted) Object.entries({ tintBlur: focus.blur * width, tintAt: 1 / focus.at, tintLimit: focus.limit * width }).forEach(([key, value]) => (card.material.uniforms[key].value = value));
    if (!copies) return;
    const { uniforms } = card.material;
    copies.forEach(({ pad, texture }, n) => {
      uniforms[`copy${n}`].value = texture;
      uniforms.pads.value[n] = pad;
    });
    const { image } = uniforms.picture.value;
    uniforms.texels.value.set(image.width, image.height);
    uniforms.blur.value = focus.blur * width * this.share;
    uniforms.infocus.value = 1 / focus.at;
    // How far it may reach beyond its edges: by the corner that is farthest from what is in focus.
    const e = new THREE.Matrix4().multiplyMatrices(this.clip.value, card.matrix).elements;
    const depths = [[-1, -1], [1, -1], [-1, 1], [1, 1]].map(([x, y]) => Math.max((e[3] * x + e[7] * y) / 2 + e[15], 0.02));
    card.userData.disc = Math.min(Math.max(...depths.map((depth) => uniforms.blur.value * Math.abs(1 / depth - 1 / focus.at))), width);
  }

  /** Fetch the looks of a scene that are needed first, and begin to fetch the rest. */
  async prepare(data) {
    // Looks that change are fetched as they are needed: those of the frame in sight first.
    const later = new Set(Object.values(data.tracks).flatMap(({ looks }) => (looks ?? []).slice(1).map(([, name]) => name)));
    const [now, then] = [true, false].map((first) => Object.fromEntries(Object.entries(data.textures).filter(([name]) => later.has(name) !== first)));
    await this.load(now);
    data.looks = new Map();
    for (const [name, address] of Object.entries(now)) if (address) data.looks.set(name, await this.textures.get(named(address)));
    for (const layer of data.layers) {
      if (layer.matrix && !this.cards.has(layer.id)) this.cards.set(layer.id, this.#card({ vertexShader: CARD_VERTEX, fragmentShader: CARD_FRAGMENT }));
    }
    const bodies = data.layers.map(({ body }) => body).filter((body) => body && !this.bodies.has(body));
    for (const body of new Set(bodies)) this.bodies.set(body, await this.#mesh(body));
    this.#fetchLater(then, data.looks);
  }

  /** A body's mesh, in shares of its size from its middle. */
  async #mesh(body) {
    const { points, faces, open } = await (await fetch(`/shots/bodies/${body}.json`)).json();
    const shape = new THREE.BufferGeometry();
    shape.setAttribute("position", new THREE.Float32BufferAttribute(points.map((value) => value / 2), 3));
    shape.setIndex(faces);
    shape.userData.open = open;
    return shape;
  }

  /** Which faces of a body are seen: from inside it, its far ones. */
  #facing(card, body) {
    if (!body || this.bodies.get(body)?.userData.open) return THREE.DoubleSide;
    const { elements: e } = new THREE.Matrix4().multiplyMatrices(this.clip.value, card.matrix).invert();
    // The camera is where the frame's x, y and w all are 0.
    const depth = card.material.uniforms.deep.value * new THREE.Vector3().setFromMatrixColumn(card.matrix, 0).length();
    const inside = [e[8] / e[11], e[9] / e[11], e[10] / e[11] / depth].every((value) => Math.abs(value) < 0.5);
    return inside ? THREE.BackSide : THREE.FrontSide;
  }

  /** Make the cards of a scene, and of one beside it; those that stay are kept. */
  async set(data, beside = null) {
    for (const each of [data, beside]) if (each && !each.looks) await this.prepare(each);
    const gone = new Set(this.cards.keys());
    for (const each of [data, beside]) for (const { id } of each?.layers ?? []) gone.delete(id);
    for (const id of gone) {
      const card = this.cards.get(id);
      this.world.remove(card);
      card.material.dispose();
      this.cards.delete(id);
    }
  }

  /** Fetch looks one after the other; who waits is told when one is here, and with null, when all are. */
  async #fetchLater(addresses, looks) {
    for (const [name, address] of Object.entries(addresses)) {
      if (!address || this.disposed) return;
      await this.load({ [name]: address });
      looks.set(name, await this.textures.get(named(address)));
      this.onLook(name);
    }
    this.onLook(null);
  }

  #card(shaders) {
    const { texture, frame } = this.behind;
    const card = new THREE.Mesh(this.shape, new THREE.ShaderMaterial({
      uniforms: {
        clip: this.clip, deep: { value: 0 }, projector: { value: new THREE.Matrix4() }, picture: { value: null }, opacity: { value: 1 }, mode: { value: 0 }, behind: texture, frame,
        lightness: { value: false }, grow: { value: new THREE.Vector2(1, 1) }, matte: { value: null }, matteFromFrame: { value: new THREE.Matrix3() }, matteOpacity: { value: 1 }, inside: { value: true },
        ...Object.fromEntries([0, 1, 2, 3, 4, 5].map((n) => [`copy${n}`, { value: null }])),
        pads: { value: [0, 0, 0, 0, 0, 0] }, texels: { value: new THREE.Vector2(1, 1) }, tintBlur: { value: 0 }, tintAt: { value: 0 }, tintLimit: { value: 1 }, blur: { value: 0 }, infocus: { value: 0 },
        shadow: { value: null }, strength: { value: 0 }, cardFromShadow: { value: new THREE.Matrix4() },
      },
      ...shaders, defines: {}, transparent: true, depthTest: false, depthWrite: false, side: THREE.DoubleSide,
      blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneMinusSrcAlphaFactor,
    }));
    card.matrixAutoUpdate = false;
    card.frustumCulled = false;
    this.world.add(card);
    return card;
  }

  /** Draw a card larger by about a pixel all round, for its edges to be smooth. */
  #grow(card, { width, height }) {
    if (card.userData.body) return card.material.uniforms.grow.value.set(1, 1);
    const e = new THREE.Matrix4().multiplyMatrices(this.clip.value, card.matrix).elements;
    const w = Math.max(Math.abs(e[15]), 1e-6);
    const pixels = (k) => Math.max(2, Math.hypot(e[k] * width, e[k + 1] * height) / 2 / w);
    const more = 3 + 2 * card.userData.disc;
    card.material.uniforms.grow.value.set(1 + more / pixels(0), 1 + more / pixels(4));
  }

  /** Tell a card, or a shadow on it, what its matte is in this frame. */
  #mask(card, material) {
    const { lightness, matte, matteFromFrame, matteOpacity, inside } = material.uniforms;
    const asks = card.userData.matte;
    this.#define(material, "MATTED", Boolean(asks));
    if (!asks) return;
    const source = this.cards.get(asks.of);
    lightness.value = asks.lightness;
    inside.value = asks.inside;
    matteOpacity.value = source ? source.userData.seen : 0;
    matte.value = source?.material.uniforms.picture.value ?? null;
    if (!source) return;
    const e = new THREE.Matrix4().multiplyMatrices(this.clip.value, source.matrix).elements;
    matteFromFrame.value.set(e[0], e[4], e[12], e[1], e[5], e[13], e[3], e[7], e[15]).invert();
  }

  #define(material, name, on) {
    if (on === name in material.defines) return;
    if (on) material.defines[name] = 1;
    else delete material.defines[name];
    material.needsUpdate = true;
  }

  /** The shadows that lie on a card in this frame, as cards of their own. */
  #shadowsOn(id, card, list, looks) {
    return list.filter((each) => each.on === id && looks.has(each.texture)).map((each) => {
      const n = this.used++;
      const shadow = (this.shadows[n] ??= this.#card({ vertexShader: SHADOW_VERTEX, fragmentShader: SHADOW_FRAGMENT }));
      const { uniforms } = shadow.material;
      shadow.matrix.fromArray(each.matrix);
      uniforms.cardFromShadow.value.copy(card.matrix).invert().multiply(shadow.matrix);
      uniforms.shadow.value = looks.get(each.texture);
      uniforms.strength.value = each.strength;
      uniforms.picture.value = card.material.uniforms.picture.value;
      uniforms.opacity.value = card.material.uniforms.opacity.value;
      this.#mask(card, shadow.material);
      return shadow;
    });
  }

  size(width, height) {
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(width, height, false);
    this.light.setSize(width, height);
    for (const target of this.coarser?.values() ?? []) target.dispose();
    this.coarser = new Map();
  }

  /** A smaller target: made once a size, as resizing one would wait for all that is being drawn. */
  #coarse(divisor) {
    if (divisor === 1) return this.light;
    if (!this.coarser.has(divisor)) {
      const [width, height] = [this.light.width, this.light.height].map((side) => Math.max(1, Math.round(side / divisor)));
      this.coarser.set(divisor, this.#target(width, height));
    }
    return this.coarser.get(divisor);
  }

  /** What the camera sees through a point of its lens, right and up in shares of its opening. */
  #through(record, [right, up]) {
    const e = [...record.clip];
    const { blur, at } = record.camera.focus;
    const { width, height } = record.base;
    // What is in focus stays where it is in the frame; all else goes aside by its inverse distance.
    [2 * blur * right, 2 * blur * (width / height) * up].forEach((aside, row) => {
      for (let column = 0; column < 4; column++) e[4 * column + row] += aside * (e[4 * column + 3] / at - (column === 3 ? 1 : 0));
    });
    return e;
  }

  #paint(record, target, [across, up] = this.window, point = null) {
    const window = new THREE.Matrix4().makeScale(across, up, 1);
    this.middle.value.fromArray(record.clip).premultiply(window);
    this.clip.value.fromArray(point ? this.#through(record, point) : record.clip).premultiply(window);
    this.share = point ? 1.2 / Math.sqrt(record.base.lens.length) : 1;
    const { renderer, world, eye } = this;
    this.behind.frame.value.set(target.width, target.height);
    for (const shadow of this.shadows) shadow.visible = false;
    this.used = 0;
    const { byId, looks, shadows, background } = record.base;
    this.copies.fetch(record);
    for (const [id, card] of this.cards) {
      card.visible = false;
      const layer = byId.get(id);
      card.userData.seen = layer?.matrix ? (opacityOf(record, id) ?? layer.opacity) : 0;
      if (layer?.matrix) this.#tell(card, layer, record, looks);
      card.material.uniforms.opacity.value = card.userData.seen * this.seen(id);
    }
    renderer.setClearColor(this.#colour(background), this.checks.value ? 0 : 1);
    renderer.setRenderTarget(target);
    renderer.clear();
    let waiting = [];
    const lay = () => {
      waiting.forEach((card, n) => Object.assign(card, { visible: true, renderOrder: n }));
      renderer.setRenderTarget(target);
      if (waiting.length) renderer.render(world, eye);
      for (const card of waiting) card.visible = false;
      waiting = [];
    };
    for (const id of record.order) {
      const card = this.cards.get(id);
      if (!card || !card.material.uniforms.opacity.value) continue;
      this.#mask(card, card.material);
      this.#soften(card, byId.get(id), record, target.width * across);
      this.#grow(card, target);
      if (card.material.uniforms.mode.value) {
        lay();
        this.#keepBehind(target);
      }
      waiting.push(card, ...this.#shadowsOn(id, card, record.shadows ?? shadows, looks));
      if (card.material.uniforms.mode.value) lay();
    }
    lay();
    this.sheet.material.uniforms.picture.value = target.texture;
  }

  /** Tell a card where it is and what it shows in a frame. */
  #tell(card, layer, record, looks) {
    card.matrix.fromArray(record.moved[layer.id] ?? matrixOf(record, layer.id) ?? layer.matrix);
    const shader = layer.mode ? BLENDED_FRAGMENT : CARD_FRAGMENT;
    if (card.material.fragmentShader !== shader) Object.assign(card.material, { fragmentShader: shader, needsUpdate: true });
    card.material.uniforms.mode.value = layer.mode;
    this.#define(card.material, "CAUGHT", Boolean(layer.projector));
    if (layer.projector) card.material.uniforms.projector.value.set(...layer.projector, 0, 0, 0, 1);
    // A look that is still on its way: the one before it.
    card.material.uniforms.picture.value = looks.get(lookOf(record, layer.id)) ?? looks.get(layer.texture) ?? card.material.uniforms.picture.value;
    card.userData.matte = layer.matte;
    card.userData.body = layer.body;
    card.geometry = (layer.body && this.bodies.get(layer.body)) || this.shape;
    card.material.uniforms.deep.value = layer.deep;
    card.material.uniforms.clip = layer.sharp ? this.middle : this.clip;
    this.#define(card.material, "SOLID", Boolean(layer.body));
    card.material.side = this.#facing(card, layer.body);
  }

  #colour(background) {
    if (this.ground?.name !== background) this.ground = Object.assign(new THREE.Color(background), { name: background });
    return this.ground;
  }

  /** Copy what is drawn so far, for a card to be blended with. */
  #keepBehind(target) {
    const { width, height } = target;
    if (this.kept?.width !== width || this.kept?.height !== height) {
      this.kept?.dispose();
      this.kept = new THREE.WebGLRenderTarget(width, height, { type: THREE.HalfFloatType, depthBuffer: false, minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter });
    }
    this.copy.material.uniforms.picture.value = target.texture;
    this.renderer.setRenderTarget(this.kept);
    this.renderer.render(this.copying, this.eye);
    this.behind.texture.value = this.kept.texture;
  }

  /** Draw a frame, with a `coarse`th of its pixels each way; with another beside it, both half as large. */
  draw(record, coarse = 1, beside = null) {
    const target = this.#coarse(coarse);
    const { width, height } = this.renderer.domElement;
    const half = [width / 2, height / 2];
    this.#paint(record, target);
    this.renderer.setRenderTarget(null);
    this.renderer.setClearColor(0x000000, 1);
    this.renderer.clear();
    if (beside) this.renderer.setViewport(0, height / 4, ...half);
    this.renderer.render(this.out, this.eye);
    if (beside) {
      this.#paint(beside, target);
      this.renderer.setRenderTarget(null);
      this.renderer.setViewport(half[0], height / 4, ...half);
      this.renderer.render(this.out, this.eye);
      this.renderer.setViewport(0, 0, width, height);
    }
    this.#time(target);
  }

  /** Add what is seen through the n-th point of the lens to the mean of those before, and show it. */
  gather(record, n) {
    const { width, height } = this.light;
    if (this.sum?.width !== width || this.sum?.height !== height) {
      this.sum?.dispose();
      this.sum = this.#target(width, height);
    }
    this.#mean(record, n, this.light, this.sum, this.window);
    this.renderer.setRenderTarget(null);
    this.renderer.render(this.out, this.eye);
    this.#time(this.light);
  }

  #mean(record, n, light, sum, window) {
    this.#paint(record, light, window, record.base.lens[n]);
    const { renderer, adding } = this;
    adding.material.uniforms.picture.value = light.texture;
    adding.material.uniforms.share.value = 1 / (n + 1);
    renderer.setRenderTarget(sum);
    renderer.render(new THREE.Scene().add(adding), this.eye);
    this.sheet.material.uniforms.picture.value = sum.texture;
  }

  /** Whether what is seen is out of focus, and can be gathered. */
  gathers(record) {
    return Boolean(!this.tinted && record.camera.focus?.blur > 0 && record.base.lens && !this.checks.value);
  }

  /** Learn what a pixel costs here, in ms: with or without a graphics card differs by a thousand. */
  #time({ width, height }) {
    if (this.fence) return;
    const gl = /** @type {WebGL2RenderingContext} */ (this.renderer.getContext());
    const [began, pixels] = [performance.now(), width * height];
    this.fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    const look = () => {
      if (gl.isContextLost() || this.disposed) return;
      if (gl.getSyncParameter(this.fence, gl.SYNC_STATUS) !== gl.SIGNALED) return setTimeout(look, 4);
      gl.deleteSync(this.fence);
      this.fence = null;
      const took = performance.now() - began;
      this.perPixel = took / pixels;
      this.onFree?.(took);
    };
    setTimeout(look, 4);
  }

  /** Return a frame's pixels, 8-bit RGBA rows from the top, at any size. */
  snapshot(record, width, height, gathered = false) {
    const light = this.#target(width, height);
    const sum = gathered && this.gathers(record) ? this.#target(width, height) : null;
    const codes = new THREE.WebGLRenderTarget(width, height, { depthBuffer: false });
    const { seen } = this;
    const checks = this.checks.value;
    this.checks.value = false;
    if (sum) record.base.lens.forEach((_, n) => this.#mean(record, n, light, sum, [1, 1]));
    else this.#paint(record, light, [1, 1]);
    this.renderer.setRenderTarget(codes);
    this.renderer.render(this.out, this.eye);
    this.seen = seen;
    this.checks.value = checks;
    const upward = new Uint8Array(width * height * 4);
    this.renderer.readRenderTargetPixels(codes, 0, 0, width, height, upward);
    this.renderer.setRenderTarget(null);
    light.dispose();
    sum?.dispose();
    codes.dispose();
    const pixels = new Uint8Array(upward.length);
    const row = width * 4;
    for (let y = 0; y < height; y++) pixels.set(upward.subarray((height - 1 - y) * row, (height - y) * row), y * row);
    return pixels;
  }

  dispose() {
    this.disposed = true;
    this.kept?.dispose();
    this.sum?.dispose();
    this.light.dispose();
    this.renderer.dispose();
  }
}
