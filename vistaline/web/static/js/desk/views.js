// How the desk is looked at: nothing here changes the shot. What was chosen is remembered.
const TOGGLES = ["guides", "beyond", "checks", "clipped", "inset"];

export class Views {
  constructor(desk, viewfinder, scene) {
    this.desk = desk;
    this.viewfinder = viewfinder;
    this.scene = scene;
    this.part = (name) => desk.querySelector(`[data-do="${name}"]`);
    for (const name of TOGGLES) this.part(name).addEventListener("click", () => this.#toggle(name));
    this.part("dim").addEventListener("click", () => this.#dim());
    this.part("quality").addEventListener("change", () => this.#quality(this.part("quality").value));
    for (const view of ["above", "side", "both"]) this.part(view).addEventListener("click", () => this.#plan(view));
    for (const name of TOGGLES) this.#set(name, localStorage.getItem(`vistaline-${name}`) === "on");
    this.#quality(localStorage.getItem("vistaline-quality") ?? "1");
    this.#plan(localStorage.getItem("vistaline-plan") ?? "above");
    this.keys = {
      g: () => (this.#toggle("guides"), true),
      b: () => (this.#toggle("beyond"), true),
      x: () => (this.#toggle("checks"), true),
      w: () => (this.#toggle("inset"), true),
      i: () => (this.#dim(), true),
      v: () => (this.#plan({ above: "side", side: "both", both: "above" }[this.view]), true),
    };
  }

  #toggle(name) {
    this.#set(name, !this.viewfinder[name]);
  }

  #set(name, on) {
    localStorage.setItem(`vistaline-${name}`, on ? "on" : "off");
    this.part(name).setAttribute("aria-pressed", String(on));
    this.viewfinder.show({ [name]: on });
  }

  #dim() {
    this.scene.toggleDims();
    this.part("dim").setAttribute("aria-pressed", String(this.scene.dims));
  }

  #quality(value) {
    localStorage.setItem("vistaline-quality", value);
    this.part("quality").value = value;
    this.viewfinder.show({ quality: 1 / Number(value) });
  }

  #plan(view) {
    this.view = view;
    localStorage.setItem("vistaline-plan", view);
    for (const each of ["above", "side", "both"]) this.part(each).setAttribute("aria-pressed", String(each === view));
    for (const each of ["above", "side"]) this.desk.querySelector(`[data-part="plan-${each}"]`).toggleAttribute("hidden", view !== "both" && view !== each);
  }
}
