// The looks of layers as textures: linear, premultiplied half floats, so that they are filtered as
// the renderer does it; and their blurred copies, which the server makes.
import * as THREE from "/vendor/three.module.js";
import { Lane } from "./lane.js";
import { CANVAS_FRAGMENT, OUT_VERTEX, PREMULTIPLY_FRAGMENT } from "./shaders.js";
import { lookOf, named } from "./tracks.js";

/** A pass over a whole target. */
export function pass(fragmentShader, uniforms = {}) {
  const material = new THREE.ShaderMaterial({ uniforms: { picture: { value: null }, ...uniforms }, vertexShader: OUT_VERTEX, fragmentShader, depthTest: false, depthWrite: false, blending: THREE.NoBlending });
  const sheet = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), material);
  sheet.frustumCulled = false;
  return sheet;
}

/** Half floats to draw light on, or to keep a look in. */
export function target(width, height, options = {}) {
  return new THREE.WebGLRenderTarget(width, height, { type: THREE.HalfFloatType, depthBuffer: false, ...options });
}

export class Looks {
  /** `arrived` is told the name of a look whose blurred copies are here. */
  constructor(renderer, arrived) {
    this.renderer = renderer;
    this.arrived = arrived;
    this.eye = new THREE.Camera();
    this.lane = new Lane();
    // By address: it names the content, so a layer that is drawn anew gets its new look.
    this.textures = new Map(); // promises
    this.copies = new Map(); // lists of { pad, texture }; null while they are fetched
    this.coming = 0; // looks whose copies are on their way
    this.settled = Promise.resolve(); // when all copies that were asked for so far are here
  }

  /** The texture of the look at an address, once it is here. */
  fetch(address) {
    const name = named(address);
    if (!this.textures.has(name)) {
      const coming = this.#load(address);
      coming.catch(() => this.textures.delete(name)); // to be asked for again
      this.textures.set(name, coming);
    }
    return this.textures.get(name);
  }

  async #load(address, whole = true) {
    const picture = await this.lane.run(() => this.#picture(address), whole ? 0 : 1);
    const texture = new THREE.Texture(picture);
    texture.flipY = false; // it was turned when it was decoded
    texture.colorSpace = THREE.SRGBColorSpace;
    return this.#drawn(texture, picture, PREMULTIPLY_FRAGMENT, whole).texture;
  }

  async #picture(address) {
    const answer = await fetch(address);
    if (!answer.ok) throw new Error(`${answer.status} for ${address}`);
    return createImageBitmap(await answer.blob(), { imageOrientation: "flipY", premultiplyAlpha: "none", colorSpaceConversion: "none" });
  }

  /** What was drawn upside down on a canvas, as a target whose texture is linear and premultiplied. */
  ofCanvas(picture) {
    const texture = new THREE.Texture(picture);
    texture.flipY = false;
    return this.#drawn(texture, picture, CANVAS_FRAGMENT, true);
  }

  #drawn(texture, picture, fragment, whole) {
    Object.assign(texture, { generateMipmaps: false, minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter, needsUpdate: true });
    const kept = target(picture.width, picture.height, {
      generateMipmaps: whole, anisotropy: whole ? 4 : 1,
      minFilter: whole ? THREE.LinearMipmapLinearFilter : THREE.LinearFilter, magFilter: THREE.LinearFilter,
    });
    const sheet = pass(fragment);
    sheet.material.uniforms.picture.value = texture;
    this.renderer.setRenderTarget(kept);
    this.renderer.render(new THREE.Scene().add(sheet), this.eye);
    this.renderer.setRenderTarget(null);
    sheet.material.dispose();
    texture.dispose();
    picture.close();
    return kept;
  }

  /** A look's copies, each blurred twice as much as the one before; null until all are here. */
  copiesOf(record, name) {
    return this.copies.get(named(record.base.textures[name] ?? "")) ?? null;
  }

  /** Fetch the copies of all that is out of focus in a frame and not here yet. */
  fetchCopies(record) {
    if (!record.camera.focus) return;
    const { byId, looks, textures, copies } = record.base;
    for (const id of record.order) {
      const layer = byId.get(id);
      const name = lookOf(record, id) ?? layer?.texture;
      const address = textures[name];
      if (!layer || layer.sharp || !address || !looks.has(name) || this.copies.has(named(address))) continue;
      this.#begin(name, address, copies);
    }
  }

  #begin(name, address, copies) {
    this.copies.set(named(address), null);
    this.coming += 1;
    const all = copies.map(([, pad], n) => this.#load(`${address}&copy=${n}`, false).then((texture) => ({ pad, texture })));
    const done = Promise.all(all)
      .then((found) => this.copies.set(named(address), found), () => {}) // without them it stays sharp
      .then(() => {
        this.coming -= 1;
        this.arrived(name);
      });
    this.settled = Promise.all([this.settled, done]).then(() => {});
  }
}
