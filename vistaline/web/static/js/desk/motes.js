// Particles as points, laid between the cards they are between; see vistaline.core.scene.air.
import * as THREE from "/vendor/three.module.js";
import { MOTE_FRAGMENT, MOTE_VERTEX } from "./shaders.js";

const NUMBERS = 10; // of each

export class Motes {
  constructor(renderer) {
    this.renderer = renderer;
    this.eye = new THREE.Camera();
    this.shape = new THREE.BufferGeometry();
    this.material = new THREE.ShaderMaterial({
      uniforms: { scale: { value: new THREE.Vector2(1, 1) }, across: { value: 1 } },
      vertexShader: MOTE_VERTEX, fragmentShader: MOTE_FRAGMENT, transparent: true, depthTest: false, depthWrite: false,
      blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneMinusSrcAlphaFactor,
    });
    this.points = new THREE.Points(this.shape, this.material);
    this.points.frustumCulled = false;
    this.scene = new THREE.Scene().add(this.points);
  }

  /** Particles by how many of the order they lie before. */
  split(told) {
    const found = new Map();
    for (let n = 0; n < told.length; n += NUMBERS) {
      if (!found.has(told[n])) found.set(told[n], []);
      found.get(told[n]).push(n);
    }
    return new Map([...found].map(([slot, at]) => [slot, this.#packed(told, at)]));
  }

  #packed(told, at) {
    const position = new Float32Array(at.length * 3);
    const colour = new Float32Array(at.length * 4);
    const spot = new Float32Array(at.length * 4);
    at.forEach((n, k) => {
      position.set([told[n + 1], told[n + 2], 0], k * 3);
      colour.set(told.subarray(n + 5, n + 9), k * 4);
      spot.set([told[n + 3], told[n + 4], told[n + 9], 0], k * 4);
    });
    return { position, colour, spot };
  }

  draw({ position, colour, spot }, onto, [across, up]) {
    this.shape.dispose();
    this.shape = new THREE.BufferGeometry();
    this.shape.setAttribute("position", new THREE.BufferAttribute(position, 3));
    this.shape.setAttribute("colour", new THREE.BufferAttribute(colour, 4));
    this.shape.setAttribute("spot", new THREE.BufferAttribute(spot, 4));
    this.points.geometry = this.shape;
    this.material.uniforms.scale.value.set(across, up);
    this.material.uniforms.across.value = onto.width * across;
    this.renderer.setRenderTarget(onto);
    this.renderer.render(this.scene, this.eye);
  }
}
