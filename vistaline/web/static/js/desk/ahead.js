// Where the frame in sight is stretched and where it sees nothing, laid over the viewfinder.
const REST = 160; // ms the playhead must rest

export class LookAhead {
  constructor(desk, scene, viewfinder, transport) {
    this.desk = desk;
    this.scene = scene;
    this.finder = viewfinder;
    this.transport = transport;
    this.on = false;
    this.sheet = desk.querySelector('[data-part="ahead"]');
    this.button = desk.querySelector('[data-do="ahead"]');
    this.button.addEventListener("click", () => this.toggle());
    this.sheet.addEventListener("load", () => this.#fit());
    desk.addEventListener("click", ({ target }) => {
      const go = target.closest("[data-go]");
      if (!go) return;
      transport.pause();
      scene.go(Number(go.dataset.go));
      if (!this.on) this.toggle();
    });
    for (const name of ["frame", "change"]) scene.addEventListener(name, () => this.#ask());
    this.watch = new ResizeObserver(() => this.#fit());
    this.watch.observe(viewfinder.gate);
  }

  toggle() {
    this.on = !this.on;
    this.button.setAttribute("aria-pressed", String(this.on));
    this.#ask();
  }

  #ask() {
    clearTimeout(this.resting);
    const { data, frame, as, take } = this.scene;
    // What was told of another version is no longer sure.
    const told = this.desk.querySelector(".ahead-result");
    if (data) told?.classList.toggle("stale", told.dataset.version !== String(data.version));
    const name = data && `${this.scene.address}/ahead.png?${new URLSearchParams({ n: frame, as, v: data.version, ...(take && take !== "before" ? { take } : {}) })}`;
    // What was mapped is no longer in sight; while it plays nothing is asked for.
    if (!this.on || this.scene.shown || this.named !== name) this.sheet.hidden = true;
    if (!this.on || !data || this.scene.shown) return;
    if (this.named === name) return this.#fit();
    this.resting = setTimeout(() => {
      if (this.transport.playing) return this.#ask();
      this.named = name;
      this.sheet.src = name;
    }, REST);
  }

  #fit() {
    const { place } = this.finder;
    if (!this.on || !place || this.scene.shown || !this.sheet.complete) return;
    Object.assign(this.sheet.style, { left: `${place.x}px`, top: `${place.y}px`, width: `${place.width}px`, height: `${place.height}px` });
    this.sheet.hidden = false;
  }

  dispose() {
    clearTimeout(this.resting);
    this.watch.disconnect();
  }
}
