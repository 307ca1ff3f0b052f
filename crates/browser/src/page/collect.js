// Evaluated when the page is at rest: where every picture stands, how it is fitted and what of it can be seen.
({ layersOf, sizeOfPseudo }) => {
  const kivet = window.__kivetCheck;

  // The page's trees: the document, and each open shadow tree in it (DOM, section 4.8).
  const trees = [document];
  for (const tree of trees) {
    for (const { shadowRoot } of tree.querySelectorAll('*')) if (shadowRoot) trees.push(shadowRoot);
  }
  const every = (selector) => trees.flatMap((tree) => [...tree.querySelectorAll(selector)]);
  const elements = () => trees.flatMap((tree) => [...tree.querySelectorAll(tree === document ? 'body, body *' : '*')]);
  // What an element is laid out in: its slot, its parent, or the host of its shadow tree.
  const around = (element) => element.assignedSlot ?? element.parentElement ?? element.getRootNode().host ?? null;
  // The nearest with a box: `display: contents` has none.
  const boxAround = (element) => {
    let at = around(element);
    while (at && getComputedStyle(at).display === 'contents') at = around(at);
    return at;
  };

  const attributesOf = (element) =>
    Object.fromEntries([...element.attributes].map(({ name, value }) => [name.toLowerCase(), value]));

  const pathOf = (element) => {
    const parts = [];
    for (let at = element; at instanceof Element; at = at.parentElement) {
      const tag = at.localName;
      const same = at.parentElement ? [...at.parentElement.children].filter((one) => one.localName === tag) : [at];
      const place = at.parentElement && same.length > 1 ? `:nth-of-type(${same.indexOf(at) + 1})` : '';
      parts.unshift(tag + place);
    }
    const host = element.getRootNode().host;
    return (host ? pathOf(host) + '::shadow>' : '') + parts.join('>');
  };

  const selectorOf = (element) => {
    const tree = element.getRootNode();
    const written = (selector) => (tree.host ? selectorOf(tree.host) + '::shadow ' : '') + selector;
    const names = (selector) => tree.querySelectorAll(selector).length;
    const own = (at) => {
      if (at.id && names('#' + CSS.escape(at.id)) === 1) return '#' + CSS.escape(at.id);
      return at.localName + [...at.classList].slice(0, 2).map((one) => '.' + CSS.escape(one)).join('');
    };
    const placed = (at) => {
      const siblings = [...(at.parentElement ?? tree).children];
      const alike = siblings.filter((one) => own(one) === own(at));
      const same = siblings.filter((one) => one.localName === at.localName);
      return own(at) + (alike.length > 1 ? `:nth-of-type(${same.indexOf(at) + 1})` : '');
    };
    for (const part of [own, placed]) {
      let selector = part(element);
      for (let at = element.parentElement; at && at !== document.documentElement; at = at.parentElement) {
        if (names(selector) === 1) return written(selector);
        selector = part(at) + ' > ' + selector;
      }
      if (names(selector) === 1) return written(selector);
    }
    return pathOf(element).replaceAll('>', ' > ');
  };

  const describe = (element) => element instanceof Element
    ? { tag: element.localName, path: pathOf(element), selector: selectorOf(element), attributes: attributesOf(element) }
    : { tag: '', path: '', selector: '', attributes: {} };

  const area = ({ left, top, width, height }) => ({ x: left + scrollX, y: top + scrollY, width, height });
  const meet = (one, other) => {
    const x = Math.max(one.x, other.x);
    const y = Math.max(one.y, other.y);
    const width = Math.max(0, Math.min(one.x + one.width, other.x + other.width) - x);
    const height = Math.max(0, Math.min(one.y + one.height, other.y + other.height) - y);
    return { x, y, width, height };
  };
  const number = (text) => parseFloat(text) || 0;

  // The box inside borders and padding.
  const contentArea = (element, style) => {
    const box = area(element.getBoundingClientRect());
    const left = number(style.borderLeftWidth) + number(style.paddingLeft);
    const top = number(style.borderTopWidth) + number(style.paddingTop);
    const right = number(style.borderRightWidth) + number(style.paddingRight);
    const bottom = number(style.borderBottomWidth) + number(style.paddingBottom);
    return { x: box.x + left, y: box.y + top, width: Math.max(0, box.width - left - right), height: Math.max(0, box.height - top - bottom) };
  };

  // Nobody scrolls to what stands before a page's beginning.
  const reachable = getComputedStyle(document.documentElement).direction === 'rtl'
    ? { x: -1e7, y: 0, width: 1e7 + innerWidth, height: 1e7 }
    : { x: 0, y: 0, width: 1e7, height: 1e7 };

  // What overflow of the boxes around leaves: `cuts` for good, `view` with scrollers at their present place.
  const clipsOf = (element) => {
    const everything = { x: -1e7, y: -1e7, width: 2e7, height: 2e7 };
    let cuts = everything;
    let view = everything;
    let inScroller = false;
    let position = getComputedStyle(element).position;
    for (let at = boxAround(element); at && at !== document.body && at !== document.documentElement; at = boxAround(at)) {
      const style = getComputedStyle(at);
      const holds = position === 'fixed' ? false : position === 'absolute' ? style.position !== 'static' || style.transform !== 'none' : true;
      if (holds) {
        const box = area(at.getBoundingClientRect());
        const wide = (overflow) => (overflow === 'visible' ? { from: -1e7, extent: 2e7 } : null);
        const clip = {
          x: wide(style.overflowX)?.from ?? box.x, width: wide(style.overflowX)?.extent ?? box.width,
          y: wide(style.overflowY)?.from ?? box.y, height: wide(style.overflowY)?.extent ?? box.height,
        };
        view = meet(view, clip);
        const scrolls = (overflow) => overflow === 'auto' || overflow === 'scroll';
        const hard = {
          x: scrolls(style.overflowX) ? -1e7 : clip.x, width: scrolls(style.overflowX) ? 2e7 : clip.width,
          y: scrolls(style.overflowY) ? -1e7 : clip.y, height: scrolls(style.overflowY) ? 2e7 : clip.height,
        };
        cuts = meet(cuts, hard);
        inScroller ||= scrolls(style.overflowX) || scrolls(style.overflowY);
        if (style.position !== 'static') position = style.position;
      }
    }
    return { cuts: inScroller ? cuts : meet(cuts, reachable), view };
  };

  const specified = (element, property) => {
    const value = element.computedStyleMap?.().get(property);
    return value ? value.toString() : 'auto';
  };
  const keyword = (value) => /^(auto|none|normal|min-content|max-content|fit-content.*|stretch|-webkit-fill-available)$/.test(value);
  const heightKnown = (element) => {
    if (!element) return false;
    const value = specified(element, 'height');
    // What the page itself is a share of is the screen.
    if (element === document.documentElement) return !keyword(value);
    if (!keyword(value)) return value.includes('%') ? heightKnown(boxAround(element)) : true;
    const style = getComputedStyle(element);
    // A block is as wide as its parent before anything arrives.
    return style.aspectRatio !== 'auto' && !style.display.startsWith('inline');
  };
  const widthKnown = (element) => !keyword(specified(element, 'width'));
  const outOfFlow = (style) => style.position === 'absolute' || style.position === 'fixed';
  const reserved = (element) => {
    const style = getComputedStyle(element);
    if (outOfFlow(style)) return true;
    const height = specified(element, 'height');
    if (!keyword(height) && (!height.includes('%') || heightKnown(boxAround(element)))) return true;
    if (style.aspectRatio !== 'auto' && widthKnown(element)) return true;
    if (number(style.minHeight) >= element.getBoundingClientRect().height - 1 && number(style.minHeight) > 0) return true;
    for (let at = around(element); at && at !== document.body; at = around(at)) {
      if (outOfFlow(getComputedStyle(at)) || heightKnown(at)) return true;
    }
    return false;
  };

  const isSeen = (element) => element.checkVisibility({ opacityProperty: true, visibilityProperty: true });
  const isRendered = (element) => element.checkVisibility();

  // True if other pictures lie over it at its middle and near its corners.
  const isCovered = (element, inView) => {
    if (element.localName !== 'img') return false;
    const points = [[0.5, 0.5], [0.1, 0.1], [0.9, 0.1], [0.1, 0.9], [0.9, 0.9]];
    return points.every(([across, down]) => {
      const stack = element.getRootNode().elementsFromPoint(inView.x - scrollX + inView.width * across, inView.y - scrollY + inView.height * down);
      const at = stack.indexOf(element);
      return at > 0 && stack.slice(0, at).some((one) => one.localName === 'img' || one.localName === 'video');
    });
  };

  const screen = { x: 0, y: 0, width: innerWidth, height: innerHeight };
  const standing = (element, box) => {
    const { cuts, view } = clipsOf(element);
    const seen = isSeen(element);
    const inScreen = meet(meet(box, view), screen);
    const touches = inScreen.width >= 1 && inScreen.height >= 1;
    const inBand = box.y < innerHeight && box.y + Math.max(box.height, 1) > 0;
    const inView = seen && touches && !isCovered(element, inScreen);
    const nothing = { x: 0, y: 0, width: 0, height: 0 };
    return {
      area: box,
      uncut: seen ? cuts : nothing,
      rendered: isRendered(element),
      inView,
      hidden: inBand && !inView,
    };
  };

  const ancestorsOf = (element) => {
    const found = [];
    for (let at = around(element); at && at !== document.body && found.length < 8; at = around(at)) {
      found.push({ tag: at.localName, attributes: attributesOf(at) });
    }
    found.push({ tag: 'body', attributes: attributesOf(document.body) });
    return found;
  };

  const linkText = (element) => {
    const link = element.closest('a[href], button');
    if (!link) return null;
    const others = [...link.querySelectorAll('img[alt]')].filter((one) => one !== element).map(({ alt }) => alt);
    return [link.getAttribute('aria-label') ?? '', link.getAttribute('title') ?? '', link.textContent, ...others].join(' ').trim();
  };

  const uses = [];
  for (const image of every('img, input[type=image]')) {
    const style = getComputedStyle(image);
    const isImage = image.localName === 'img';
    const sources = image.parentElement?.localName === 'picture'
      ? [...image.parentElement.querySelectorAll(':scope > source')].map((one) => ({
        srcset: one.srcset, sizes: one.sizes, media: one.media, type: one.type,
        width: one.getAttribute('width') ?? '', height: one.getAttribute('height') ?? '',
      }))
      : [];
    uses.push({
      ...standing(image, contentArea(image, style)),
      element: describe(image),
      role: 'img',
      url: (isImage ? image.currentSrc : image.src) || '',
      sources,
      ancestors: ancestorsOf(image),
      linkText: linkText(image),
      fit: style.objectFit,
      position: style.objectPosition,
      reserved: reserved(image),
      // What is still on its way is neither complete nor broken.
      decoded: !(isImage && image.complete && image.naturalWidth === 0),
    });
  }

  // Where a pseudo-element lies is known if its containing block is the screen or the element.
  const areaOfPseudo = (element, pseudo) => {
    const style = getComputedStyle(element, pseudo);
    const box = area(element.getBoundingClientRect());
    const [width, height] = sizeOfPseudo(element, pseudo);
    const at = { x: number(style.left), y: number(style.top) };
    if (style.position === 'fixed') return { x: at.x + scrollX, y: at.y + scrollY, width, height };
    const own = getComputedStyle(element);
    const held = style.position === 'absolute' && own.position !== 'static';
    return held
      ? { x: box.x + number(own.borderLeftWidth) + at.x, y: box.y + number(own.borderTopWidth) + at.y, width, height }
      : { x: box.x, y: box.y, width, height };
  };

  const fetched = new Set(performance.getEntriesByType('resource').map(({ name }) => name));
  for (const element of elements()) {
    for (const pseudo of [null, '::before', '::after']) {
      const style = getComputedStyle(element, pseudo);
      if (!style.backgroundImage.includes('url(') || (pseudo && style.content === 'none')) continue;
      const layers = layersOf(style.backgroundImage);
      layers.forEach((layer, at) => {
        const urls = [...layer.matchAll(/url\("((?:[^"\\]|\\.)*)"\)/g)].map(([, url]) => url).filter((url) => !url.startsWith('data:'));
        if (urls.length === 0) return;
        const url = urls.find((one) => fetched.has(one)) ?? (layer.includes('image-set') ? '' : urls[0]);
        const pick = (list) => { const all = layersOf(list); return all[at % all.length]; };
        const described = describe(element);
        const box = pseudo ? areaOfPseudo(element, pseudo) : area(element.getBoundingClientRect());
        uses.push({
          ...standing(element, box),
          element: { ...described, path: described.path + (pseudo ?? ''), selector: described.selector + (pseudo ?? '') },
          role: 'background',
          url,
          ancestors: [],
          fit: pick(style.backgroundSize),
          position: pick(style.backgroundPosition),
          reserved: true,
          decoded: true,
        });
      });
    }
  }

  for (const film of every('video[poster]')) {
    const style = getComputedStyle(film);
    uses.push({
      ...standing(film, contentArea(film, style)),
      element: describe(film), role: 'poster', url: film.poster, fit: 'contain', position: '50% 50%', reserved: reserved(film), decoded: true,
    });
  }

  const embeds = every('iframe, video, embed, object').map((element) => ({
    element: describe(element),
    url: element.src || element.currentSrc || element.data || '',
    area: area(element.getBoundingClientRect()),
    reserved: reserved(element),
    rendered: isRendered(element) && element.getBoundingClientRect().width > 1,
  }));

  const hints = [...document.querySelectorAll('link[rel]')]
    .filter(({ relList }) => ['preload', 'preconnect', 'dns-prefetch'].some((rel) => relList.contains(rel)))
    .map((link) => ({
      element: describe(link),
      rel: ['preload', 'preconnect', 'dns-prefetch'].find((rel) => link.relList.contains(rel)),
      url: link.href,
      matches: matchMedia(link.media || 'all').matches,
    }));

  // Properties whose animation lays the page out anew.
  const LAYOUT = ['top', 'left', 'right', 'bottom', 'margin-top', 'margin-left', 'margin-right', 'margin-bottom', 'margin',
    'inset', 'inset-inline', 'inset-block', 'inset-inline-start', 'inset-inline-end', 'inset-block-start', 'inset-block-end',
    'margin-inline', 'margin-block', 'margin-inline-start', 'margin-inline-end', 'margin-block-start', 'margin-block-end'];
  const dashed = (name) => name.replace(/[A-Z]/g, (letter) => '-' + letter.toLowerCase());
  const keyframes = new Map();
  const read = (rules) => {
    for (const rule of rules) {
      if (rule instanceof CSSKeyframesRule) {
        const moved = [...rule.cssRules].flatMap(({ style }) => [...style]).find((name) => LAYOUT.includes(name));
        keyframes.set(rule.name, moved);
      } else if (rule.cssRules) read(rule.cssRules);
    }
  };
  for (const sheet of document.styleSheets) {
    // Rules of another origin cannot be read.
    try { read(sheet.cssRules); } catch { continue; }
  }
  const moving = [];
  const addMoving = (element, property) => {
    if (property && !moving.some((one) => one.node === element)) moving.push({ node: element, property });
  };
  for (const element of elements()) {
    const style = getComputedStyle(element);
    for (const name of style.animationName.split(', ')) addMoving(element, keyframes.get(name));
    addMoving(element, style.transitionDuration !== '0s' && style.transitionProperty.split(', ').find((name) => LAYOUT.includes(name)));
  }
  for (const animation of document.getAnimations()) {
    const effect = animation.effect;
    if (!effect?.target || animation instanceof CSSTransition) continue;
    addMoving(effect.target, effect.getKeyframes().flatMap(Object.keys).map(dashed).find((name) => LAYOUT.includes(name)));
  }

  const navigation = performance.getEntriesByType('navigation')[0];
  return {
    uses,
    embeds,
    hints,
    moving: moving.map(({ node, property }) => ({ element: describe(node), property })),
    largest: kivet.largest && { element: describe(kivet.largest.element), url: kivet.largest.url ?? '', at: kivet.largest.at },
    shift: kivet.shift,
    shifts: kivet.shifts.map(({ value, moved, cause }) => ({
      value, moved: describe(moved), cause: cause && { element: describe(cause.element), kind: cause.kind, height: cause.height },
    })),
    unload: [...kivet.unload, ...(document.body?.hasAttribute('onunload') || window.onunload ? [location.href] : [])],
    blocking: performance.getEntriesByType('resource').filter((one) => one.renderBlockingStatus === 'blocking').map(({ name }) => name),
    firstByteMs: navigation?.responseStart ?? 0,
    milestones: {
      firstPaintMs: performance.getEntriesByName('first-contentful-paint')[0]?.startTime,
      domMs: navigation?.domContentLoadedEventEnd || undefined,
      loadMs: navigation?.loadEventEnd || undefined,
    },
  };
}
