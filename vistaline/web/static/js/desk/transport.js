// Playing at true rate: the frame follows the clock, frames are dropped rather than slowed.
export class Transport {
  constructor(desk, scene) {
    this.scene = scene;
    this.part = (name) => desk.querySelector(`[data-part="${name}"]`);
    this.playing = false;
    this.pace = null; // frames drawn a second
    this.speed = 1; // of true rate; less than 0 is backwards
    this.range = null; // first and last frame to loop
    this.onRange = () => {};
    this.onRest = () => {};
    this.loop = localStorage.getItem("vistaline-loop") !== "off";
    this.button = desk.querySelector('[data-do="play"]');
    this.loopButton = desk.querySelector('[data-do="loop"]');
    this.button.addEventListener("click", () => this.toggle());
    this.loopButton.addEventListener("click", () => this.toggleLoop());
    desk.querySelector('[data-do="back"]').addEventListener("click", () => this.step(-1));
    desk.querySelector('[data-do="on"]').addEventListener("click", () => this.step(1));
    this.part("scrub").addEventListener("input", (event) => {
      this.pause();
      scene.go(Number(event.target.value));
    });
    scene.addEventListener("frame", () => this.#show());
    scene.addEventListener("change", () => this.#show());
    scene.addEventListener("painted", () => this.#count());
    this.loopButton.setAttribute("aria-pressed", String(this.loop));
  }

  toggle() {
    if (this.playing) this.pause();
    else this.play();
  }

  toggleLoop() {
    this.loop = !this.loop;
    localStorage.setItem("vistaline-loop", this.loop ? "on" : "off");
    this.loopButton.setAttribute("aria-pressed", String(this.loop));
  }

  /** Loop these frames, or with null the whole shot again. */
  loopRange(range) {
    this.range = range;
    this.onRange();
  }

  get #ends() {
    const last = this.scene.data.duration - 1;
    return (this.range ?? [0, last]).map((frame) => Math.min(frame, last));
  }

  /** Play that way; asked again, twice as fast. */
  shuttle(way) {
    const faster = this.playing && Math.sign(this.speed) === way ? Math.min(8, Math.abs(this.speed) * 2) : 1;
    this.pause();
    this.play(way * faster);
  }

  play(speed = 1) {
    const { data } = this.scene;
    if (!data || this.playing) return;
    const [first, last] = this.#ends;
    const { frame } = this.scene;
    if (speed > 0 ? frame >= last || frame < first : frame <= first || frame > last) this.scene.go(speed > 0 ? first : last);
    this.speed = speed;
    this.playing = true;
    this.button.textContent = "❚❚";
    this.button.setAttribute("aria-label", "Pause");
    this.#restart();
    requestAnimationFrame((now) => this.#tick(now));
  }

  pause() {
    if (!this.playing) return;
    this.playing = false;
    this.button.textContent = "▶";
    this.button.setAttribute("aria-label", "Play");
    this.scene.go(this.scene.frame); // it has come to rest here
    this.onRest();
  }

  step(frames) {
    this.pause();
    this.scene.go(this.scene.frame + frames);
  }

  #restart() {
    this.began = performance.now();
    this.from = this.scene.frame;
    this.drawn = 0;
  }

  #tick(now) {
    if (!this.playing) return;
    const [over, under] = this.scene.data.rate;
    const passed = Math.max(0, now - this.began) / 1000;
    const [first, last] = this.#ends;
    let frame = this.from + Math.sign(this.speed) * Math.floor((Math.abs(this.speed) * passed * over) / under);
    if (this.speed > 0 ? frame > last : frame < first) {
      const [start, end] = this.speed > 0 ? [first, last] : [last, first];
      if (!this.loop) {
        this.scene.go(end);
        return this.pause();
      }
      this.scene.go(start);
      this.#restart();
      frame = start;
    }
    if (frame !== this.scene.frame) this.scene.go(frame);
    this.pace = passed > 1 ? this.drawn / passed : null;
    requestAnimationFrame((next) => this.#tick(next));
  }

  /** Something is painted: while it plays, count the frames that are. */
  #count() {
    if (!this.playing || this.painted === this.scene.frame) return;
    this.painted = this.scene.frame;
    this.drawn += 1;
  }

  #show() {
    const { data, frame } = this.scene;
    this.part("timecode").textContent = data.frames[frame].timecode;
    const rate = data.rate[0] / data.rate[1];
    const slow = this.playing && this.pace && this.pace < rate * 0.9;
    const fast = this.playing && this.speed !== 1 ? ` · ${this.speed < 0 ? "backwards" : "forwards"} ${Math.abs(this.speed)}×` : "";
    this.part("counter").textContent = (slow ? `frame ${frame} · showing ${this.pace.toFixed(0)} of ${rate.toFixed(0)} fps` : `frame ${frame} of ${data.duration}`) + fast;
    const scrub = this.part("scrub");
    scrub.max = data.duration - 1;
    scrub.value = frame;
  }
}
