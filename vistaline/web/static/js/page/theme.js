// Runs before the first paint, so that the table has its right colour from the start.
const kept = localStorage.getItem("vistaline-table");
if (kept) document.documentElement.dataset.bsTheme = kept;
