// What shines over the whole frame, roughly: glow and rays at an eighth and a quarter of its size. The
// proof shows them as they are.
import * as THREE from "/vendor/three.module.js";
import { pass, target } from "./looks.js";
import { BLUR_FRAGMENT, BRIGHT_FRAGMENT, LIGHTEN_FRAGMENT, RAYS_FRAGMENT } from "./shaders.js";

const GLOW = 6; // times smaller
const RAYS = 4;

export class Over {
  constructor(renderer) {
    this.renderer = renderer;
    this.eye = new THREE.Camera();
    this.passes = {
      bright: pass(BRIGHT_FRAGMENT, { limits: { value: new THREE.Vector2() } }),
      blur: pass(BLUR_FRAGMENT, { along: { value: new THREE.Vector2() } }),
      rays: pass(RAYS_FRAGMENT, { source: { value: new THREE.Vector2() }, reach: { value: 1 }, tall: { value: 1 }, own: { value: false } }),
      lighten: pass(LIGHTEN_FRAGMENT, { colour: { value: new THREE.Vector3() } }),
    };
    Object.assign(this.passes.lighten.material, { transparent: true, blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneFactor });
    this.scenes = Object.fromEntries(Object.entries(this.passes).map(([name, each]) => [name, new THREE.Scene().add(each)]));
    this.targets = new Map();
  }

  #target(name, { width, height }, smaller) {
    const size = [width, height].map((side) => Math.max(2, Math.round(side / smaller)));
    const key = `${name} ${size}`;
    if (!this.targets.has(key)) {
      for (const [other, each] of this.targets) if (other.startsWith(`${name} `)) each.dispose(), this.targets.delete(other);
      this.targets.set(key, target(...size));
    }
    return this.targets.get(key);
  }

  #run(name, picture, onto, values = {}) {
    const { uniforms } = this.passes[name].material;
    uniforms.picture.value = picture;
    for (const [key, value] of Object.entries(values)) {
      if (Array.isArray(value)) uniforms[key].value.set(...value);
      else uniforms[key].value = value;
    }
    this.renderer.setRenderTarget(onto);
    this.renderer.render(this.scenes[name], this.eye);
  }

  /** Add to what is drawn on `onto`, of which the frame takes the share `window`, all that shines. */
  add({ glow, rays }, onto, [across, up]) {
    if (!glow.length && !rays.length) return;
    for (const { at: [x, y], limits, length, colour, own } of rays) {
      const [bright, drawn] = ["bright", "rays"].map((name) => this.#target(name, onto, RAYS));
      this.#run("bright", onto.texture, bright, { limits });
      const source = [(x - 0.5) * across + 0.5, (y - 0.5) * up + 0.5];
      this.#run("rays", bright.texture, drawn, { source, reach: length * across, tall: onto.height / onto.width, own });
      this.#run("lighten", drawn.texture, onto, { colour });
    }
    for (const { limits, size, colour } of glow) {
      const [bright, half, whole] = ["glows", "half", "whole"].map((name) => this.#target(name, onto, GLOW));
      this.#run("bright", onto.texture, bright, { limits });
      const wide = size * across * 1.2;
      this.#run("blur", bright.texture, half, { along: [wide, 0] });
      this.#run("blur", half.texture, whole, { along: [0, (wide * onto.width) / onto.height] });
      this.#run("lighten", whole.texture, onto, { colour });
    }
  }
}
