// Draws cards with WebGL as the server's matrices say, in linear light, back to front.
import * as THREE from "/vendor/three.module.js";
import { BLEND } from "./blend.js";

const CARD_VERTEX = `
  uniform mat4 clip;
  varying vec2 place;
  void main() { place = uv; gl_Position = clip * modelMatrix * vec4(position, 1.0); }`;
const CARD_FRAGMENT = `
  uniform sampler2D picture; uniform float opacity;
  varying vec2 place;
  void main() { gl_FragColor = texture2D(picture, place) * opacity; }`;
// What is behind is opaque: the ground at least.
const BLENDED_FRAGMENT = `
  uniform sampler2D picture; uniform sampler2D behind; uniform float opacity; uniform int mode; uniform vec2 frame;
  varying vec2 place;
  ${BLEND}
  void main() {
    vec4 front = texture2D(picture, place);
    vec3 back = texture2D(behind, gl_FragCoord.xy / frame).rgb;
    float cover = front.a * opacity;
    gl_FragColor = vec4(blended(mode, back, front.rgb / max(front.a, 1e-4)) * cover, cover);
  }`;
const COPY_FRAGMENT = `
  uniform sampler2D picture; varying vec2 place;
  void main() { gl_FragColor = texture2D(picture, place); }`;
const PREMULTIPLY_FRAGMENT = `
  uniform sampler2D picture; varying vec2 place;
  void main() { vec4 c = texture2D(picture, place); gl_FragColor = vec4(c.rgb * c.a, c.a); }`;
const OUT_VERTEX = `varying vec2 place; void main() { place = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }`;
// IEC 61966-2-1, as in vistaline.core.picture.colour.
const OUT_FRAGMENT = `
  uniform sampler2D picture; varying vec2 place;
  void main() {
    vec3 c = texture2D(picture, place).rgb;
    vec3 low = c * 12.92; vec3 high = 1.055 * pow(max(c, 0.0031308), vec3(1.0 / 2.4)) - 0.055;
    gl_FragColor = vec4(mix(high, low, vec3(lessThanEqual(c, vec3(0.0031308)))), 1.0);
  }`;

export class Stage {
  constructor(canvas) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: false, alpha: false });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.sortObjects = true;
    this.renderer.autoClear = false; // a frame with blended cards is drawn in several passes
    this.world = new THREE.Scene();
    this.eye = new THREE.Camera();
    this.clip = { value: new THREE.Matrix4() };
    this.shape = new THREE.PlaneGeometry(1, 1);
    this.cards = new Map();
    this.textures = new Map();
    this.loader = new THREE.TextureLoader();
    this.light = this.#target(2, 2);
    this.behind = { texture: { value: null }, frame: { value: new THREE.Vector2() } };
    this.copy = this.#sheet(COPY_FRAGMENT);
    this.copying = new THREE.Scene().add(this.copy);
    this.sheet = this.#sheet(OUT_FRAGMENT);
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
  #premultiplied(texture) {
    texture.colorSpace = THREE.SRGBColorSpace;
    texture.generateMipmaps = false;
    texture.minFilter = texture.magFilter = THREE.NearestFilter;
    const { width, height } = texture.image;
    const target = new THREE.WebGLRenderTarget(width, height, {
      type: THREE.HalfFloatType, depthBuffer: false, generateMipmaps: true, anisotropy: 4,
      minFilter: THREE.LinearMipmapLinearFilter, magFilter: THREE.LinearFilter,
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
    return new THREE.WebGLRenderTarget(width, height, { type: THREE.HalfFloatType, samples: 4, depthBuffer: false });
  }

  /** Fetch the pictures that are not here yet; resolves when all can be drawn. */
  load(addresses) {
    // By address: it names the content, so a layer that is drawn anew gets its new look.
    const waits = Object.values(addresses).map((address) => {
      if (!this.textures.has(address)) {
        this.textures.set(address, this.loader.loadAsync(address).then((texture) => this.#premultiplied(texture)));
      }
      return this.textures.get(address);
    });
    return Promise.all(waits);
  }

  /** Make the cards of a scene; those that stay are kept. */
  async set(data) {
    await this.load(data.textures);
    const gone = new Set(this.cards.keys());
    for (const layer of data.layers) {
      if (!layer.matrix) continue;
      gone.delete(layer.id);
      let card = this.cards.get(layer.id);
      if (!card) {
        card = new THREE.Mesh(this.shape, new THREE.ShaderMaterial({
          uniforms: { clip: this.clip, picture: { value: null }, opacity: { value: 1 }, mode: { value: 0 }, behind: this.behind.texture, frame: this.behind.frame },
          vertexShader: CARD_VERTEX, fragmentShader: CARD_FRAGMENT,
          transparent: true, depthTest: false, depthWrite: false, side: THREE.DoubleSide,
          blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneMinusSrcAlphaFactor,
        }));
        card.matrixAutoUpdate = false;
        card.frustumCulled = false;
        this.cards.set(layer.id, card);
        this.world.add(card);
      }
      card.matrix.fromArray(layer.matrix);
      const shader = layer.mode ? BLENDED_FRAGMENT : CARD_FRAGMENT;
      if (card.material.fragmentShader !== shader) Object.assign(card.material, { fragmentShader: shader, needsUpdate: true });
      card.material.uniforms.mode.value = layer.mode;
      card.material.uniforms.opacity.value = layer.opacity;
      card.material.uniforms.picture.value = await this.textures.get(data.textures[layer.texture]);
      card.userData.matrix = layer.matrix;
    }
    for (const id of gone) {
      const card = this.cards.get(id);
      this.world.remove(card);
      card.material.dispose();
      this.cards.delete(id);
    }
    this.ground = new THREE.Color(data.background);
  }

  size(width, height) {
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(width, height, false);
    this.light.setSize(width, height);
  }

  #paint(record, target) {
    this.clip.value.fromArray(record.clip);
    const { renderer, world, eye } = this;
    for (const [id, card] of this.cards) {
      card.visible = false;
      card.matrix.fromArray(record.moved[id] ?? card.userData.matrix);
    }
    renderer.setClearColor(this.ground, 1);
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
      if (!card) continue;
      if (card.material.uniforms.mode.value) {
        lay();
        this.#keepBehind(target);
      }
      waiting.push(card);
      if (card.material.uniforms.mode.value) lay();
    }
    lay();
    this.sheet.material.uniforms.picture.value = target.texture;
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
    this.behind.frame.value.set(width, height);
  }

  draw(record) {
    this.#paint(record, this.light);
    this.renderer.setRenderTarget(null);
    this.renderer.render(this.out, this.eye);
  }

  /** Return a frame's pixels, 8-bit RGBA rows from the top, at any size. */
  snapshot(record, width, height) {
    const light = this.#target(width, height);
    const codes = new THREE.WebGLRenderTarget(width, height, { depthBuffer: false });
    this.#paint(record, light);
    this.renderer.setRenderTarget(codes);
    this.renderer.render(this.out, this.eye);
    const upward = new Uint8Array(width * height * 4);
    this.renderer.readRenderTargetPixels(codes, 0, 0, width, height, upward);
    this.renderer.setRenderTarget(null);
    light.dispose();
    codes.dispose();
    const pixels = new Uint8Array(upward.length);
    const row = width * 4;
    for (let y = 0; y < height; y++) pixels.set(upward.subarray((height - 1 - y) * row, (height - y) * row), y * row);
    return pixels;
  }

  dispose() {
    this.kept?.dispose();
    this.light.dispose();
    this.renderer.dispose();
  }
}
