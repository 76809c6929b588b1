// What a key is to be set for: a thing, and one of the values that it has.
export class Setting {
  constructor(element) {
    this.element = element;
    element.addEventListener("change", ({ target }) => {
      if (target.id === "v-key-of") this.#offer();
      else this.value = target.value;
    });
    this.refresh();
  }

  /** Called again when the panel was brought up to date around it. */
  refresh() {
    const of = this.element.querySelector("#v-key-of");
    const wanted = this.element.dataset.chosen || localStorage.getItem("vistaline-key-of");
    if ([...of.options].some((option) => option.value === wanted)) of.value = wanted;
    this.#offer();
  }

  #offer() {
    const of = this.element.querySelector("#v-key-of").value;
    localStorage.setItem("vistaline-key-of", of);
    const select = this.element.querySelector("#v-key-value");
    const before = this.value ?? "";
    const { values } = JSON.parse(this.element.dataset.things).find((thing) => thing.of === of);
    select.replaceChildren(...values.map(([value, label]) => new Option(label, value, false, value === before)));
    this.value = select.value;
  }
}
