// A slider or a colour that is turned shows at once what it would make; when it is let go, htmx sends it.

const EDIT = /\/edits\/([a-z_]+)/;

export class Turning {
  constructor(desk, scene) {
    this.scene = scene;
    desk.addEventListener("input", ({ target }) => ["range", "color"].includes(target.type) && this.#turn(target.closest("form[hx-post]")));
    desk.addEventListener("change", ({ target }) => ["range", "color"].includes(target.type) && this.scene.endDrag());
    // What is refused is not what is there.
    this.onAnswer = ({ detail: { ctx } }) => ctx.response?.status >= 400 && this.scene.forget();
    document.addEventListener("htmx:after:request", this.onAnswer);
  }

  dispose() {
    document.removeEventListener("htmx:after:request", this.onAnswer);
  }

  #turn(form) {
    const verb = form?.getAttribute("hx-post").match(EDIT)?.[1];
    // What is drawn anew shows when the slider is let go.
    if (!verb || "drawn" in form.dataset) return;
    this.scene.beginDrag();
    this.scene.preview(verb, Object.fromEntries(new FormData(form)));
  }
}
