// What stands on the stage, as meshes: cards and bodies, where each is in a frame, what it shows,
// how blurred it is, what cuts it; and the shadows that lie on it.
import * as THREE from "/vendor/three.module.js";
import { BLENDED_FRAGMENT, CARD_FRAGMENT, CARD_VERTEX, SHADOW_FRAGMENT, SHADOW_VERTEX } from "./shaders.js";
import { lookOf, matrixOf, named, opacityOf, raisedOf } from "./tracks.js";

const CORNERS = [[-1, -1], [1, -1], [-1, 1], [1, 1]];
const OUTLINED = 2.5; // times the disc that still looks sharp: what is blurred more has no line round it
const COPIES = [0, 1, 2, 3, 4, 5]; // as many blurred copies as the shader takes

function define(material, name, value) {
  if (material.defines[name] === (value ? Number(value) : undefined)) return;
  if (value) material.defines[name] = Number(value);
  else delete material.defines[name];
  material.needsUpdate = true;
}

/** Which copy is as blurred as a disc of so many texels: -1 is the picture itself; as in the shader. */
const levelOf = (radius) => (radius < 2 ? Math.min(Math.max((radius - 0.3) / 1.7, 0), 1) - 1 : Math.log2(radius / 2));

/** A body's mesh, in shares of its size from its middle. */
async function mesh(body) {
  const { points, faces, open } = await (await fetch(`/shots/bodies/${body}.json`)).json();
  const shape = new THREE.BufferGeometry();
  shape.setAttribute("position", new THREE.Float32BufferAttribute(points.map((value) => value / 2), 3));
  shape.setIndex(faces);
  shape.userData.open = open;
  return shape;
}

/** A relief's triangles, as vistaline.core.scene.reliefs packs them. */
async function relief(address) {
  const data = await (await fetch(address)).arrayBuffer();
  const [points, faces] = new Uint32Array(data, 0, 2);
  const shape = new THREE.BufferGeometry();
  const told = new THREE.InterleavedBuffer(new Float32Array(data, 8, points * 4), 4);
  shape.setAttribute("position", new THREE.InterleavedBufferAttribute(told, 3, 0));
  shape.setAttribute("sheet", new THREE.InterleavedBufferAttribute(told, 1, 3));
  shape.setIndex(new THREE.BufferAttribute(new Uint32Array(data, 8 + points * 16, faces * 3), 1));
  return shape;
}

/** What a relief or a cloth hides of itself is told by depth, from nothing on: all else goes by the order. */
function clearDepth(renderer) {
  renderer.state.buffers.depth.setMask(true);
  renderer.clearDepth();
}

export class Cards {
  constructor(looks, tables, passing, cloths) {
    this.cloths = cloths;
    this.looks = looks;
    this.passing = passing;
    this.tables = tables; // what effects make of colours
    this.world = new THREE.Scene();
    this.clip = { value: new THREE.Matrix4() };
    this.middle = { value: new THREE.Matrix4() }; // the same, through the middle of the lens
    this.behind = { texture: { value: null }, frame: { value: new THREE.Vector2() } };
    // The lamps of a frame, as the shader is told them: all cards share these.
    this.lamps = { place: { value: [] }, way: { value: [] }, colour: { value: [] }, law: { value: [] }, cone: { value: [] }, clips: { value: true } };
    // And its air.
    this.air = { fogLaw: { value: [] }, fogColour: { value: [] }, home: { value: new THREE.Vector3() }, gain: { value: 1 } };
    this.shape = new THREE.PlaneGeometry(1, 1);
    this.byId = new Map();
    this.bodies = new Map(); // meshes of what is not flat, by their names
    this.areas = new Map(); // of reliefs, by what they are made of
    this.reliefs = new Map(); // those of reliefs, by their addresses
    this.shadows = [];
  }

  /** Make those of a shot's layers that are not here yet. */
  async make(layers, reliefs) {
    for (const { id, matrix } of layers) {
      if (matrix && !this.byId.has(id)) this.byId.set(id, this.#card({ vertexShader: CARD_VERTEX, fragmentShader: CARD_FRAGMENT }));
    }
    const bodies = layers.map(({ body }) => body).filter((body) => body && !this.bodies.has(body));
    for (const body of new Set(bodies)) this.bodies.set(body, await mesh(body));
    for (const address of Object.values(reliefs)) if (!this.reliefs.has(named(address))) this.reliefs.set(named(address), await relief(address));
  }

  /** Remove all that none of these layers shows. */
  keepOnly(layers) {
    const gone = new Set(this.byId.keys());
    for (const { id } of layers) gone.delete(id);
    for (const id of gone) {
      const card = this.byId.get(id);
      this.world.remove(card);
      card.material.dispose();
      this.byId.delete(id);
    }
  }

  #card(shaders) {
    const { texture, frame } = this.behind;
    const card = new THREE.Mesh(this.shape, new THREE.ShaderMaterial({
      uniforms: {
        clip: this.clip, deep: { value: 0 }, projector: { value: new THREE.Matrix4() }, picture: { value: null }, opacity: { value: 1 }, mode: { value: 0 }, behind: texture, frame,
        lightness: { value: false }, grow: { value: new THREE.Vector2(1, 1) }, matte: { value: null }, matteFromFrame: { value: new THREE.Matrix3() }, matteOpacity: { value: 1 }, inside: { value: true },
        ...Object.fromEntries(COPIES.map((n) => [`copy${n}`, { value: null }])), pads: { value: COPIES.map(() => 0) },
        texels: { value: new THREE.Vector2(1, 1) }, blur: { value: 0 }, infocus: { value: 0 }, first: { value: 0 }, tintBlur: { value: 0 }, tintAt: { value: 0 }, tintLimit: { value: 1 },
        normal: { value: new THREE.Vector3() }, lampPlace: this.lamps.place, lampWay: this.lamps.way, lampColour: this.lamps.colour, lampLaw: this.lamps.law, lampCone: this.lamps.cone, clips: this.lamps.clips,
        ...this.air, own: { value: 1 }, sky: { value: false }, table: { value: null },
        sheet1: { value: null }, sheet2: { value: null }, shape: { value: new THREE.Vector2(1, 0) }, apex: { value: new THREE.Vector3() }, tall: { value: 1 }, reach: { value: 1 }, lifts: { value: new THREE.Vector4() }, areas: { value: null },
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

  /** Tell each card where it is, what it shows and how much of it is seen in a frame. */
  place(record, shares) {
    for (const shadow of this.shadows) shadow.visible = false;
    this.used = 0;
    const { byId, looks } = record.base;
    this.#light(record.lights, record.air.gain);
    this.#fog(record.air);
    for (const [id, card] of this.byId) {
      card.visible = false;
      const layer = byId.get(id);
      card.userData.seen = layer?.matrix ? (opacityOf(record, id) ?? layer.opacity) : 0;
      if (layer?.matrix) this.#tell(card, layer, record, looks);
      card.material.uniforms.opacity.value = card.userData.seen * (shares[id] ?? 1);
    }
  }

  #fog({ fogs, home, gain }) {
    this.air.fogLaw.value = [...fogs.map(([dense, base, thins, , , , sky]) => new THREE.Vector4(dense, base, thins, sky)), new THREE.Vector4()];
    this.air.fogColour.value = [...fogs.map((fog) => new THREE.Vector3(fog[3], fog[4], fog[5])), new THREE.Vector3()];
    this.air.home.value.fromArray(home);
    this.air.gain.value = gain;
  }

  #light(lights, gain) {
    const { place, way, colour, law, cone } = this.lamps;
    const vectors = (name) => lights.map((light) => new THREE.Vector3(...light[name]));
    [place.value, way.value, colour.value] = ["place", "way", "colour"].map(vectors);
    for (const each of colour.value) each.multiplyScalar(gain); // before it is clipped
    law.value = lights.map(({ kind, falloff, normal, reach }) => new THREE.Vector4(kind, falloff, normal, reach));
    cone.value = lights.map((light) => new THREE.Vector2(...light.cone));
  }

  #tell(card, layer, record, looks) {
    card.matrix.fromArray(record.moved[layer.id] ?? matrixOf(record, layer.id) ?? layer.matrix);
    const shader = layer.mode ? BLENDED_FRAGMENT : CARD_FRAGMENT;
    if (card.material.fragmentShader !== shader) Object.assign(card.material, { fragmentShader: shader, needsUpdate: true });
    card.material.uniforms.mode.value = layer.mode;
    define(card.material, "CAUGHT", Boolean(layer.projector));
    if (layer.projector) card.material.uniforms.projector.value.set(...layer.projector, 0, 0, 0, 1);
    // A look that is still on its way: the one before it.
    const name = lookOf(record, layer.id);
    card.material.uniforms.picture.value = this.passing.texture(layer.id, name, record) ?? looks.get(name) ?? looks.get(layer.texture) ?? card.material.uniforms.picture.value;
    card.userData.matte = layer.matte;
    card.userData.body = layer.body;
    card.geometry = (layer.body && this.bodies.get(layer.body)) || this.shape;
    this.#raise(card, layer, record, looks);
    this.#drape(card, layer, record);
    card.material.uniforms.deep.value = layer.deep;
    card.material.uniforms.clip = layer.sharp ? this.middle : this.clip;
    define(card.material, "SOLID", Boolean(layer.body));
    const table = this.tables.named(record.finish.cards[layer.id], record);
    define(card.material, "GRADED", Boolean(table));
    card.material.uniforms.table.value = table;
    const { fogs, gain } = record.air;
    const own = layer.lit && record.lights.length ? 1 : gain;
    const aired = (fogs.length && layer.air) || own !== 1;
    define(card.material, "LIT", layer.lit ? record.lights.length : 0);
    define(card.material, "AIR", aired ? (layer.air ? fogs.length : 0) + 1 : 0);
    define(card.material, "STANDS", aired || (layer.lit && record.lights.length));
    card.material.uniforms.own.value = own;
    card.material.uniforms.sky.value = layer.air === 2;
    card.material.uniforms.normal.value.setFromMatrixColumn(card.matrix, 2).normalize();
    card.material.side = this.#facing(card, layer.body);
  }

  /** Tell a card how it is raised, if it is a relief whose triangles and sheets are here. */
  #raise(card, { id, relief }, record, looks) {
    const triangles = relief && this.reliefs.get(named(record.base.reliefs?.[id] ?? ""));
    const [front, behind, last] = (relief?.sheets ?? []).map((name) => looks.get(name));
    const raised = Boolean(triangles && front && behind && last);
    define(card.material, "RAISED", raised);
    Object.assign(card.material, { depthTest: raised, depthWrite: raised });
    card.onBeforeRender = raised ? clearDepth : () => {};
    card.userData.relief = raised ? relief : null;
    if (!raised) return;
    card.geometry = triangles;
    const { picture, sheet1, sheet2, shape, apex, tall, lifts, areas } = card.material.uniforms;
    [picture.value, sheet1.value, sheet2.value, tall.value] = [front, behind, last, relief.tall];
    const now = raisedOf(record, id) ?? relief.shape;
    shape.value.fromArray(now);
    lifts.value.fromArray(now, 2);
    areas.value = this.#areasOf(relief.areas);
    define(card.material, "AREAS", Boolean(relief.areas));
    apex.value.fromArray(relief.apex);
  }

  /** Where a relief's areas are, as a texture; kept by what it is made of. */
  #areasOf(areas) {
    if (!areas) return null;
    const name = `${areas.columns} ${areas.shares}`;
    if (!this.areas.has(name)) {
      const texture = new THREE.DataTexture(Uint8Array.from(atob(areas.shares), (c) => c.charCodeAt(0)), areas.columns, areas.rows);
      Object.assign(texture, { magFilter: THREE.LinearFilter, minFilter: THREE.LinearFilter, needsUpdate: true });
      for (const each of this.areas.size > 16 ? this.areas.values() : []) each.dispose();
      if (this.areas.size > 16) this.areas.clear();
      this.areas.set(name, texture);
    }
    return this.areas.get(name);
  }

  /** Tell a card where its points hang, if it is cloth whose motion is known. */
  #drape(card, { id, cloth }, record) {
    const sheet = cloth && this.cloths.sheet(id, cloth, record);
    define(card.material, "DRAPED", Boolean(sheet));
    card.userData.through = sheet ? sheet.through : null;
    if (!sheet) return;
    Object.assign(card.material, { depthTest: true, depthWrite: true });
    card.onBeforeRender = clearDepth;
    card.geometry = sheet.shape;
    const { reach, tall } = card.material.uniforms;
    [reach.value, tall.value] = [cloth.reach, cloth.tall];
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

  /** Make a card ready to be drawn on `width` by `height` pixels, the frame being `across` of them wide. */
  ready(card, layer, record, { width, height }, across, { share, tinted }) {
    this.#mask(card, card.material);
    this.#soften(card, layer, record, { width, height }, across, share);
    this.#tint(card, record.camera.focus, tinted && !layer.sharp, across);
    this.#grow(card, width, height);
  }

  /** Tell a card how it is out of focus in this frame: nothing, while its copies are on their way. */
  #soften(card, layer, record, { width, height }, across, share) {
    const { focus } = record.camera;
    const name = lookOf(record, layer.id) ?? layer.texture;
    const copies = focus && !layer.sharp && focus.blur > 0 ? this.looks.copiesOf(record, name) : null;
    card.userData.disc = 0;
    const { uniforms } = card.material;
    const { image } = uniforms.picture.value ?? {};
    const e = new THREE.Matrix4().multiplyMatrices(this.clip.value, card.matrix).elements;
    const depths = this.#depths(card);
    const blur = focus ? focus.blur * across * share : 0;
    const disc = (depth) => blur * Math.abs(1 / depth - 1 / focus.at);
    const most = copies ? Math.max(...depths.map(disc)) : 0;
    const blurred = most >= 0.3;
    const [first, last] = blurred ? this.#levels(card, layer, e, depths, focus.at, (depth) => disc(depth) * Math.sqrt((image.width * image.height * 4) / (width * height)), copies.length) : [0, -1];
    define(card.material, "COPIES", last - Math.max(first, 0) + 1);
    define(card.material, "SHARPEST", blurred && first < 0);
    if (!blurred) return;
    // How far it may reach beyond its edges: by the corner that is farthest from what is in focus.
    card.userData.disc = Math.min(most, across);
    copies.slice(Math.max(first, 0), last + 1).forEach(({ pad, texture }, n) => {
      uniforms[`copy${n}`].value = texture;
      uniforms.pads.value[n] = pad;
    });
    uniforms.first.value = Math.max(first, 0);
    uniforms.texels.value.set(image.width, image.height);
    uniforms.blur.value = blur;
    uniforms.infocus.value = 1 / focus.at;
  }

  /**
   * The first and the last of the copies that a card is mixed of; -1 is the picture itself. `spread`
   * tells a disc at a depth in texels of a card that is one pixel large.
   */
  #levels(card, layer, e, depths, at, spread, count) {
    if (layer.projector || layer.body || layer.relief || layer.cloth) return [-1, count - 1];
    // A texel's area in pixels goes with the third power of its depth, all over a plane.
    const area = Math.abs(e[0] * (e[5] * e[15] - e[13] * e[7]) - e[4] * (e[1] * e[15] - e[13] * e[3]) + e[12] * (e[1] * e[7] - e[5] * e[3]));
    const texels = (depth) => spread(depth) * Math.sqrt(depth ** 3 / Math.max(area, 1e-9));
    const [near, far] = [Math.min(...depths), Math.max(...depths)];
    // Between its ends it is most blurred a third of the way to what is in focus, and sharp there.
    const between = [at / 3, at].filter((depth) => depth > near && depth < far);
    const levels = [near, far, ...between].map((depth) => levelOf(texels(depth)));
    const [least, most] = [Math.min(...levels), Math.max(...levels)].map((level) => Math.min(Math.max(level, -1), count - 1));
    return [Math.floor(least + 1e-3), Math.max(Math.ceil(most - 1e-3), Math.floor(least + 1e-3), 0)];
  }

  #tint(card, focus, tinted, across) {
    define(card.material, "TINTED", Boolean(tinted && focus));
    define(card.material, "OUTLINED", Boolean(tinted && focus && this.#least(card, focus) < OUTLINED * focus.limit));
    if (!tinted || !focus) return;
    const { tintBlur, tintAt, tintLimit } = card.material.uniforms;
    [tintBlur.value, tintAt.value, tintLimit.value] = [focus.blur * across, 1 / focus.at, focus.limit * across];
  }

  /** How little a card is blurred where it is least, in shares of the frame's width. */
  #least(card, { at, blur }) {
    const depths = this.#depths(card);
    if (Math.min(...depths) <= at && at <= Math.max(...depths)) return 0;
    return blur * Math.min(...depths.map((depth) => Math.abs(1 / depth - 1 / at)));
  }

  /** How far before the camera a card's corners are, in metres. */
  #depths(card) {
    const e = new THREE.Matrix4().multiplyMatrices(this.clip.value, card.matrix).elements;
    const flat = CORNERS.map(([x, y]) => Math.max((e[3] * x + e[7] * y) / 2 + e[15], 0.02));
    if (card.userData.through) {
      const wide = Math.hypot(...card.matrix.elements.slice(0, 3));
      return flat.flatMap((depth) => card.userData.through.map((z) => Math.max(depth + e[11] * z * wide, 0.02)));
    }
    if (!card.userData.relief) return flat;
    // About its nearest and its farthest.
    const { x: a, y: b } = card.material.uniforms.shape.value;
    return flat.flatMap((depth) => [depth / a, depth / (a + b)]);
  }

  /** Draw a card larger by about a pixel all round, for its edges to be smooth. */
  #grow(card, width, height) {
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
    define(material, "MATTED", Boolean(asks));
    if (!asks) return;
    const source = this.byId.get(asks.of);
    lightness.value = asks.lightness;
    inside.value = asks.inside;
    matteOpacity.value = source ? source.userData.seen : 0;
    matte.value = source?.material.uniforms.picture.value ?? null;
    if (!source) return;
    const e = new THREE.Matrix4().multiplyMatrices(this.clip.value, source.matrix).elements;
    matteFromFrame.value.set(e[0], e[4], e[12], e[1], e[5], e[13], e[3], e[7], e[15]).invert();
  }

  /** The shadows that lie on a card in this frame, as cards of their own. */
  shadowsOn(id, card, record) {
    const { looks, shadows } = record.base;
    return (record.shadows ?? shadows).filter((each) => each.on === id && looks.has(each.texture)).map((each) => {
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
}
