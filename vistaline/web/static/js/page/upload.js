// Files in: each with its own progress bar and, if it is refused, its own sentence. What becomes of
// a file then is shown by the list of tasks.
import { notice } from "./notice.js";

export class Upload {
  constructor(form) {
    this.form = form;
    this.list = form.querySelector(".uploads");
    this.waiting = [];
    this.busy = false;
    const chooser = form.querySelector("input[type=file]");
    const take = () => {
      this.add(chooser.files);
      chooser.value = "";
    };
    chooser.addEventListener("change", take);
    take(); // chosen while the page was still loading
    form.addEventListener("dragover", (event) => {
      event.preventDefault();
      form.classList.add("over");
    });
    form.addEventListener("dragleave", () => form.classList.remove("over"));
    form.addEventListener("drop", (event) => {
      event.preventDefault();
      form.classList.remove("over");
      this.add(event.dataTransfer.files);
    });
  }

  add(files) {
    for (const file of files) {
      const row = document.createElement("li");
      row.innerHTML = '<span class="what"></span><progress max="100" value="0"></progress><span class="state">waiting</span>';
      row.querySelector(".what").textContent = file.name;
      this.list.append(row);
      this.waiting.push({ file, row });
    }
    this.#next();
  }

  #next() {
    const job = this.busy ? null : this.waiting.shift();
    if (!job) return;
    this.busy = true;
    const state = job.row.querySelector(".state");
    const bar = job.row.querySelector("progress");
    const body = new FormData();
    body.append("csrf_token", this.form.elements.csrf_token.value);
    body.append("picture", job.file);
    const request = new XMLHttpRequest();
    const stop = document.createElement("button");
    Object.assign(stop, { type: "button", className: "link", textContent: "stop" });
    stop.addEventListener("click", () => request.abort());
    job.row.append(stop);
    const over = (words, refused) => {
      stop.remove();
      bar.hidden = true;
      state.textContent = words;
      state.classList.toggle("refusal", refused);
      this.busy = false;
      this.#next();
    };
    request.upload.addEventListener("progress", (event) => {
      bar.value = (100 * event.loaded) / event.total;
      state.textContent = event.loaded < event.total ? `${Math.round(bar.value)} %` : "looking at it …";
    });
    request.addEventListener("load", () => {
      let answer = {};
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        answer.error = `${job.file.name}: the server gave no answer it could be read from. Try again.`;
      }
      if (request.status !== 200) return over(answer.error, true);
      document.body.dispatchEvent(new CustomEvent("taskchange"));
      const later = request.getResponseHeader("X-Notice");
      if (later) notice(later, "info");
      if (answer.new) job.row.remove();
      over(answer.new ? "here" : `already here as ${answer.name}`, false);
    });
    request.addEventListener("error", () => over(`${job.file.name}: the connection broke. Try again.`, true));
    request.addEventListener("abort", () => over("stopped", true));
    request.open("POST", this.form.action);
    request.setRequestHeader("Accept", "application/json");
    request.send(body);
  }
}
