// A slider beside a number shows what it would set; the number follows, and what is typed moves it.
document.addEventListener("input", ({ target }) => {
  if (!(target instanceof HTMLInputElement)) return;
  const number = target.dataset.turns && document.getElementById(target.dataset.turns);
  if (number instanceof HTMLInputElement) number.value = String(Number(Number(target.value).toPrecision(3)));
  const slider = document.querySelector(`[data-turns="${CSS.escape(target.id || "-")}"]`);
  if (slider instanceof HTMLInputElement) slider.value = target.value;
});
// What is refused goes back to what it was, and its slider with it.
document.addEventListener("htmx:after:request", ({ detail: { ctx } }) => {
  if (!(ctx.response?.status >= 400)) return;
  setTimeout(() => {
    for (const slider of document.querySelectorAll("[data-turns]")) {
      const number = document.getElementById(slider.dataset.turns);
      if (number instanceof HTMLInputElement) slider.value = number.value;
    }
  });
});
