/**
 * Previews that open full-size pictures on the same page. An opened one is the target of its address, and until then
 * is not shown, so that no browser asks for it; `sizes` fits it to the window.
 */
export function gallery(entries, write) {
  const previews = entries.map(({ name, picture, alt }) =>
    `<a href="#${name}">${write({ original: picture, place: "preview", alt })}</a>`);
  const opened = entries.map(({ name, picture, alt }) =>
    `<a class="opened" id="${name}" href="#" aria-label="Close">${write({ original: picture, place: "opened", alt })}</a>`);
  return `<div class="thumbs">\n${previews.join("\n")}\n</div>\n${opened.join("\n")}`;
}
