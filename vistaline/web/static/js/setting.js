// What a key is to be set for: a thing, and one of the values that it has.
export class Setting {
  constructor(element) {
    this.element = element;
    element.addEventListener("change", (event) => event.target.id === "v-key-of" && this.#offer());
    this.refresh();
  }

  /** Called again when the panel was brought up to date around it. */
  refresh() {
    const of = this.element.querySelector("#v-key-of");
    const wanted = localStorage.getItem("vistaline-key-of");
    if ([...of.options].some((option) => option.value === wanted)) of.value = wanted;
    this.#offer();
  }

  #offer() {
    const of = this.element.querySelector("#v-key-of").value;
    localStorage.setItem("vistaline-key-of", of);
    const values = this.element.querySelector("#v-key-value");
    let first = null;
    for (const option of values.options) {
      option.hidden = option.disabled = option.dataset.of !== of;
      if (!option.hidden) first ??= option;
    }
    if (values.selectedOptions[0]?.hidden ?? true) first.selected = true;
  }
}
