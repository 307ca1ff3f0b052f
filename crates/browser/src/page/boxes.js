// The boxes of the elements at these paths, and how their pictures are fitted into them.
(paths) => paths.map((path) => {
  const found = document.querySelector(path);
  if (!found) return { size: [0, 0], fit: '', position: '' };
  const style = getComputedStyle(found);
  const box = found.getBoundingClientRect();
  const around = (names) => names.reduce((sum, name) => sum + (parseFloat(style[name]) || 0), 0);
  const isImg = found.localName === 'img' || found.localName === 'input';
  const inside = (padding) => [
    Math.max(0, box.width - around(['borderLeftWidth', 'borderRightWidth', ...(padding ? ['paddingLeft', 'paddingRight'] : [])])),
    Math.max(0, box.height - around(['borderTopWidth', 'borderBottomWidth', ...(padding ? ['paddingTop', 'paddingBottom'] : [])])),
  ];
  if (isImg) return { size: inside(true), fit: style.objectFit, position: style.objectPosition };
  // A background lies under the padding. Of its layers the first with a picture counts.
  const commas = (list) => list.split(/,(?![^(]*\))/).map((one) => one.trim());
  const layers = commas(style.backgroundImage);
  const layer = Math.max(0, layers.findIndex((one) => one.includes('url(') && !one.includes('url("data:')));
  const pick = (list) => { const all = commas(list); return all[layer % all.length]; };
  const shown = box.width > 0 && box.height > 0;
  // A fixed background covers the window, of which the element shows a part.
  const fixed = shown && pick(style.backgroundAttachment) === 'fixed';
  return {
    size: fixed ? [innerWidth, innerHeight] : inside(false),
    fit: pick(style.backgroundSize),
    position: pick(style.backgroundPosition),
  };
})
