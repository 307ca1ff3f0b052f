// The boxes of the elements at these paths, and how their pictures are fitted into them.
(pictures, { layersOf, sizeOfPseudo }) => pictures.map(({ path, url }) => {
  const [, owner, pseudo] = path.match(/^(.*?)(::before|::after)?$/);
  const found = document.querySelector(owner);
  if (!found) return { size: [0, 0], fit: '', position: '' };
  const style = getComputedStyle(found, pseudo);
  const box = found.getBoundingClientRect();
  const around = (names) => names.reduce((sum, name) => sum + (parseFloat(style[name]) || 0), 0);
  const isImg = found.localName === 'img' || found.localName === 'input';
  const inside = (padding) => [
    Math.max(0, box.width - around(['borderLeftWidth', 'borderRightWidth', ...(padding ? ['paddingLeft', 'paddingRight'] : [])])),
    Math.max(0, box.height - around(['borderTopWidth', 'borderBottomWidth', ...(padding ? ['paddingTop', 'paddingBottom'] : [])])),
  ];
  if (isImg) return { size: inside(true), fit: style.objectFit, position: style.objectPosition };
  // A background lies under the padding. In a window that shows another file, the first layer with a picture counts.
  const layers = layersOf(style.backgroundImage);
  const own = layers.findIndex((one) => url && one.includes(`url("${url}")`));
  const layer = own >= 0 ? own : Math.max(0, layers.findIndex((one) => one.includes('url(') && !one.includes('url("data:')));
  const pick = (list) => { const all = layersOf(list); return all[layer % all.length]; };
  const size = pseudo ? sizeOfPseudo(found, pseudo) : inside(false);
  const shown = size[0] > 0 && size[1] > 0 && (pseudo || (box.width > 0 && box.height > 0));
  // A fixed background covers the window, of which the element shows a part.
  const fixed = shown && pick(style.backgroundAttachment) === 'fixed';
  return {
    size: fixed ? [innerWidth, innerHeight] : size,
    fit: pick(style.backgroundSize),
    position: pick(style.backgroundPosition),
  };
})
