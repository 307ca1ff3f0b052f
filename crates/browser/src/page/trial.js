// Tries the markup that rewriting would write on each picture, all at once, and takes it back:
// which of it leaves the picture's box as it is.
async (pictures) => {
  const found = pictures.map(({ path }) => document.querySelector(path)).map((one) => (one?.localName === 'img' ? one : null));
  const measure = () => found.map((one) => {
    const box = one ? one.getBoundingClientRect() : { width: 0, height: 0 };
    return [box.width, box.height];
  });
  const before = measure();
  const same = (as = before) => measure().map((box, at) => Math.abs(box[0] - as[at][0]) < 1 && Math.abs(box[1] - as[at][1]) < 1);

  const NAMES = ['src', 'srcset', 'sizes', 'width', 'height', 'style', 'loading'];
  const kept = found.map((one) => one && NAMES.map((name) => one.getAttribute(name)));
  const put = (one, name, value) => (value === null ? one.removeAttribute(name) : one.setAttribute(name, value));
  const sources = found.map((one) => (one?.parentElement?.localName === 'picture'
    ? [...one.parentElement.querySelectorAll(':scope > source')] : []));

  // An element that once had candidates keeps the width they gave it: each is put back as a copy.
  const copies = found.map((one) => one?.cloneNode(true));
  const settled = async (images = found) => {
    // A change of attributes is taken up after the script; what is decoded before it is given up.
    await new Promise((done) => setTimeout(done));
    await Promise.race([
      Promise.all(images.map((one) => one?.decode().catch(() => {}))),
      new Promise((done) => setTimeout(done, 2000)),
    ]);
  };
  const styled = (one, text) => [one.getAttribute('style')?.replace(/;\s*$/, ''), text].filter(Boolean).join(';');

  sources.flat().forEach((source) => { source.dataset.kivetSrcset = source.srcset; source.removeAttribute('srcset'); });
  found.forEach((one, at) => {
    if (!one) return;
    const { natural, sizes, url } = pictures[at];
    one.setAttribute('loading', 'eager');
    // The file that is there stands for the renditions: `sizes` makes it as wide as they would be.
    // With a fragment, because the same URL would keep the width it has.
    if (sizes) {
      one.setAttribute('sizes', sizes);
      one.setAttribute('srcset', `${url.split('#')[0]}#trial ${natural[0]}w`);
    }
    if (natural[0] && !(one.hasAttribute('width') && one.hasAttribute('height'))) {
      one.setAttribute('style', styled(one, `aspect-ratio:auto ${natural[0]}/${natural[1]}`));
    }
  });
  await settled();
  const plain = same();

  const unwrapped = measure();
  const wrappers = found.map((one) => {
    if (!one || one.parentElement?.localName === 'picture') return null;
    const wrapper = document.createElement('picture');
    wrapper.style.display = 'contents';
    one.replaceWith(wrapper);
    wrapper.append(one);
    return wrapper;
  });
  await settled();
  const wrapped = same(unwrapped);
  wrappers.forEach((wrapper, at) => wrapper?.replaceWith(found[at]));

  // As rewriting writes them: the page's own where they are as good.
  const dimensions = (own, natural) => {
    const [width, height] = ['width', 'height'].map((name) => own[NAMES.indexOf(name)]);
    const number = (text) => (/^\s*\d+(\.\d+)?(px)?\s*$/.test(text ?? '') ? parseFloat(text) : NaN);
    const ratio = natural[0] / natural[1];
    if (width === null && height === null) return natural.map(Math.round);
    if (height === null && number(width) > 0) return [Math.round(number(width)), Math.round(number(width) / ratio)];
    if (width === null && number(height) > 0) return [Math.round(number(height) * ratio), Math.round(number(height))];
    if (number(width) > 0 && number(height) > 0 && Math.abs(number(width) / number(height) / ratio - 1) >= 0.015) return natural.map(Math.round);
    return [width, height];
  };
  const sized = (auto) => found.forEach((one, at) => {
    if (!one || !pictures[at].natural[0]) return;
    put(one, 'style', kept[at][NAMES.indexOf('style')]);
    const [width, height] = dimensions(kept[at], pictures[at].natural);
    put(one, 'width', width);
    put(one, 'height', height);
    if (auto) one.setAttribute('style', styled(one, 'height:auto'));
  });
  sized(false);
  const withSize = same();
  sized(true);
  const withAuto = same();

  found.forEach((one, at) => one?.replaceWith(copies[at]));
  sources.flat().forEach((source) => { source.setAttribute('srcset', source.dataset.kivetSrcset); delete source.dataset.kivetSrcset; });
  await settled(copies);
  return found.map((one, at) => (one
    ? { plain: plain[at], sized: withSize[at], scaled: withAuto[at], wrapped: wrapped[at] }
    : { plain: true, sized: false, scaled: false, wrapped: true }));
}
