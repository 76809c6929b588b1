// Which pictures are ticked for the next shot: kept in this browser from visit to visit.
export class Ticks {
  constructor(form) {
    this.form = form;
    this.name = `vistaline-ticks-${form.dataset.project}`;
    this.said = form.querySelector('[data-part="ticked"]');
    form.addEventListener("change", ({ target }) => target.name === "picture" && this.#keep());
    form.addEventListener("click", ({ target }) => {
      const wanted = target.closest("[data-tick]")?.dataset.tick;
      if (!wanted) return;
      for (const box of this.#boxes) box.checked = wanted === "all";
      this.#keep();
    });
    this.refresh();
  }

  get #boxes() {
    return [...this.form.querySelectorAll("input[name=picture]")];
  }

  /** Called again when the tiles were fetched anew: what is new keeps the tick it came with. */
  refresh() {
    const kept = JSON.parse(localStorage.getItem(this.name) ?? "{}");
    for (const box of this.#boxes) box.checked = kept[box.value] ?? box.checked;
    this.#tell();
  }

  #keep() {
    localStorage.setItem(this.name, JSON.stringify(Object.fromEntries(this.#boxes.map((box) => [box.value, box.checked]))));
    this.#tell();
  }

  #tell() {
    const ticked = this.#boxes.filter((box) => box.checked).length;
    this.said.textContent = `${ticked} of ${this.#boxes.length} ticked`;
  }
}
