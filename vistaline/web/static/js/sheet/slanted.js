// The picture as a surface in depth, seen from aside; dragged to turn. It shows what the depth map
// says and measures nothing: what a relief will be on the stage is the stage's to show.
import { follow } from "../page/drag.js";
import { SIDE } from "./tiles.js";

const COLUMNS = 220;
const DEEP = 0.6; // how deep the map is drawn, of the picture's width
const VERTEX = `#version 300 es
in vec2 corner; uniform sampler2D map; uniform vec2 shape; uniform vec2 turn; uniform float zoom; out vec2 at;
void main() {
  at = corner;
  float deep = (texture(map, corner).r - 0.5) * ${DEEP.toFixed(1)};
  vec3 p = vec3((corner.x - 0.5) * shape.x, (0.5 - corner.y) * shape.y, deep);
  p.xz = mat2(cos(turn.x), -sin(turn.x), sin(turn.x), cos(turn.x)) * p.xz;
  p.yz = mat2(cos(turn.y), -sin(turn.y), sin(turn.y), cos(turn.y)) * p.yz;
  gl_Position = vec4(p.xy * zoom, -p.z * 0.5, 1.0 - p.z * 0.35);
}`;
const FRAGMENT = `#version 300 es
precision mediump float; in vec2 at; uniform sampler2D picture; out vec4 colour;
void main() { colour = vec4(texture(picture, at).rgb, 1.0); }`;

export class Slanted {
  constructor(board) {
    this.board = board;
    this.turn = [0.5, 0.25];
    this.gl = /** @type {any} */ (null);
    this.canvas = document.createElement("canvas");
    this.canvas.className = "slanted";
    this.canvas.hidden = true;
    this.canvas.tabIndex = 0;
    this.canvas.setAttribute("aria-label", "The picture as a surface in depth; arrows turn it");
    board.room.append(this.canvas);
    this.canvas.addEventListener("pointerdown", (event) => this.#drag(event));
    this.canvas.addEventListener("keydown", (event) => this.#key(event));
    this.watch = new ResizeObserver(() => this.#draw());
    this.watch.observe(board.room);
  }

  show(on) {
    this.canvas.hidden = !on;
    if (on) this.#draw();
  }

  /** Take another map; the picture on it is the smallest of its levels that is large enough. */
  async take(state, map, address) {
    this.map = map;
    this.size = state.size;
    const content = state.content;
    if (map && this.pictured !== content) {
      this.pictured = content;
      this.picture = await picture(state, address);
    }
    this.fresh = true;
    this.#draw();
  }

  #drag(event) {
    event.stopPropagation();
    const [x, y] = this.turn;
    const from = [event.clientX, event.clientY];
    const move = (e) => this.#turned(x + (e.clientX - from[0]) / 240, y + (e.clientY - from[1]) / 240);
    follow(this.canvas, event, { move, end: () => {}, cancel: () => this.#turned(x, y) });
  }

  #key(event) {
    const by = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, -0.1], ArrowDown: [0, 0.1] }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    this.#turned(this.turn[0] + by[0], this.turn[1] + by[1]);
  }

  #turned(x, y) {
    const most = 1.3;
    this.turn = [Math.max(-most, Math.min(most, x)), Math.max(-most, Math.min(most, y))];
    this.#draw();
  }

  #draw() {
    if (this.canvas.hidden || this.asked) return;
    this.asked = requestAnimationFrame(() => {
      this.asked = null;
      const { canvas, board } = this;
      const dense = Math.min(devicePixelRatio, 2);
      Object.assign(canvas, { width: board.wide * dense, height: board.tall * dense });
      this.gl ??= this.#begun();
      const { gl } = this;
      if (!gl) return;
      gl.viewport(0, 0, canvas.width, canvas.height);
      gl.clearColor(0, 0, 0, 0);
      gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
      canvas.dataset.drawn = "";
      if (!this.map || !this.picture) return;
      if (this.fresh) {
        this.#filled(0, this.map);
        this.#filled(1, this.picture);
        this.fresh = false;
      }
      const shape = this.size[0] / this.size[1];
      const wide = canvas.width / canvas.height;
      const fit = Math.min(1.5, (1.5 * wide) / shape);
      gl.uniform2f(this.place("shape"), (shape * fit) / wide, fit);
      gl.uniform2f(this.place("turn"), ...this.turn);
      gl.uniform1f(this.place("zoom"), 1);
      gl.drawElements(gl.TRIANGLES, this.count, gl.UNSIGNED_INT, 0);
      canvas.dataset.drawn = "true";
    });
  }

  #filled(slot, image) {
    const { gl } = this;
    gl.activeTexture(gl.TEXTURE0 + slot);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, image);
  }

  #begun() {
    const gl = this.canvas.getContext("webgl2");
    if (!gl) return null;
    const program = gl.createProgram();
    for (const [kind, source] of [[gl.VERTEX_SHADER, VERTEX], [gl.FRAGMENT_SHADER, FRAGMENT]]) {
      const shader = gl.createShader(/** @type {number} */ (kind));
      gl.shaderSource(shader, /** @type {string} */ (source));
      gl.compileShader(shader);
      gl.attachShader(program, shader);
    }
    gl.linkProgram(program);
    gl.useProgram(program);
    this.place = (name) => gl.getUniformLocation(program, name);
    const rows = Math.max(2, Math.round((COLUMNS * this.size[1]) / this.size[0]));
    const corners = new Float32Array(COLUMNS * rows * 2);
    for (let n = 0; n < COLUMNS * rows; n++) corners.set([(n % COLUMNS) / (COLUMNS - 1), Math.floor(n / COLUMNS) / (rows - 1)], n * 2);
    const cells = [];
    for (let y = 0; y < rows - 1; y++) {for (let x = 0; x < COLUMNS - 1; x++) {
      const a = y * COLUMNS + x;
      cells.push(a, a + 1, a + COLUMNS, a + 1, a + COLUMNS + 1, a + COLUMNS);
    }}
    this.count = cells.length;
    gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
    gl.bufferData(gl.ARRAY_BUFFER, corners, gl.STATIC_DRAW);
    gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, gl.createBuffer());
    gl.bufferData(gl.ELEMENT_ARRAY_BUFFER, new Uint32Array(cells), gl.STATIC_DRAW);
    const corner = gl.getAttribLocation(program, "corner");
    gl.enableVertexAttribArray(corner);
    gl.vertexAttribPointer(corner, 2, gl.FLOAT, false, 0, 0);
    for (const [slot, name] of [[0, "map"], [1, "picture"]]) {
      gl.activeTexture(gl.TEXTURE0 + Number(slot));
      gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
      for (const [what, how] of [[gl.TEXTURE_MIN_FILTER, gl.LINEAR], [gl.TEXTURE_MAG_FILTER, gl.LINEAR], [gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE], [gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE]]) gl.texParameteri(gl.TEXTURE_2D, what, how);
      gl.uniform1i(this.place(name), Number(slot));
    }
    gl.enable(gl.DEPTH_TEST);
    return gl;
  }

  dispose() {
    this.watch.disconnect();
    this.canvas.remove();
  }
}

/** The picture put together from tiles of a level about a thousand pixels wide. */
async function picture(state, address) {
  let level = 0;
  while (level + 1 < state.levels && Math.max(...state.size) >> level > 1400) level++;
  const [width, height] = state.size.map((length) => Math.max(1, length >> level));
  const whole = new OffscreenCanvas(width, height);
  const context = whole.getContext("2d");
  const wanted = [];
  for (let row = 0; row * SIDE < height; row++) {for (let column = 0; column * SIDE < width; column++) {
    wanted.push(fetch(`${address}/tiles/picture/${state.content}/${level}/${column}/${row}`).then((answer) => answer.blob()).then(createImageBitmap).then((tile) => context.drawImage(tile, column * SIDE, row * SIDE)));
  }}
  await Promise.allSettled(wanted);
  return whole;
}
