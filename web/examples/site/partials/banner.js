/** The picture over the whole window's width at the top of a page, if its front matter names one. */
export function banner({ picture, alt, title }, write) {
  if (!picture) return `<h1>${title}</h1>`;
  return `<header class="banner">${write({ original: picture, place: "banner", alt })}<h1>${title}</h1></header>`;
}
