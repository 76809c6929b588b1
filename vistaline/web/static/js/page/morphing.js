// What htmx puts in place of a panel that is there already: it brings attributes up to date. A box
// that was ticked by hand, or a list that was chosen from, does not go by those any more (HTML,
// 4.10: "dirty checkedness", "dirtiness" of options): here it follows what the server says.
window.htmx.registerExtension("vistaline-morphing", {
  htmx_before_morph_attr(element, { attrName, newValue }) {
    if (attrName === "checked" && element instanceof HTMLInputElement) element.checked = newValue !== null;
    if (attrName === "selected" && element instanceof HTMLOptionElement) element.selected = newValue !== null;
  },
});
