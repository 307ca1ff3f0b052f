// Runs before anything else of the page, and keeps what can only be seen as it happens: the largest paint, what moved
// and what had just arrived when it did, and listeners that keep the page from being kept in memory.
(() => {
  if (window.top !== window) return;
  const kivet = {};
  Object.defineProperty(window, '__kivetCheck', { value: kivet });
  kivet.largest = null;
  kivet.shift = 0;
  kivet.shifts = [];
  kivet.unload = [];
  kivet.pageshow = [];

  // What arrived in the last moments: the likely causes of a shift.
  const arrivals = [];
  const arrive = (element, kind) => {
    if (element instanceof Element) arrivals.push({ element, kind, at: performance.now() });
    if (arrivals.length > 400) arrivals.splice(0, 200);
  };
  const kindOf = (element) => (element.tagName === 'IMG' ? 'picture' : 'embed');
  document.addEventListener('load', ({ target }) => {
    if (target instanceof Element && /^(IMG|IFRAME|EMBED|OBJECT)$/.test(target.tagName)) arrive(target, kindOf(target));
  }, true);
  document.addEventListener('loadedmetadata', ({ target }) => arrive(target, 'embed'), true);
  new MutationObserver((records) => {
    for (const { type, target, addedNodes } of records) {
      if (type === 'attributes') arrive(target, 'inserted');
      else if (type === 'characterData') arrive(target.parentElement, 'inserted');
      else {
        for (const node of addedNodes) {
          const holder = node instanceof Element ? node : node.parentElement;
          if (holder && !/^(SCRIPT|STYLE|LINK|META|HEAD|BODY|HTML)$/.test(holder.tagName)) arrive(holder, 'inserted');
        }
      }
    }
  }).observe(document, {
    subtree: true, childList: true, characterData: true, attributes: true, attributeFilter: ['style', 'class', 'hidden', 'height'],
  });

  // The nearest arrival above what moved, from the last half second; a picture or embed before what merely holds it. What
  // was moved itself is no cause.
  const RECENT = 500;
  const causeOf = (at, moved, allMoved, previousTop, currentTop) => {
    const candidates = arrivals.filter((one) => {
      if (one.at < at - RECENT || one.at > at + 60 || !one.element.isConnected) return false;
      if (one.element.contains(moved) || allMoved.some((other) => other.contains(one.element))) return false;
      const box = one.element.getBoundingClientRect();
      return box.height > 1 && box.top < Math.max(previousTop, currentTop) + 1;
    });
    const best = candidates.findLast((one) => one.kind !== 'inserted') ?? candidates.at(-1);
    if (!best) return null;
    const height = best.element.getBoundingClientRect().height;
    return { element: best.element, kind: best.kind, height };
  };

  new PerformanceObserver((list) => {
    for (const entry of list.getEntries()) {
      if (entry.hadRecentInput) continue;
      kivet.shift += entry.value;
      const source = entry.sources.find(({ node }) => node);
      if (!source) continue;
      const node = source.node instanceof Element ? source.node : source.node.parentElement;
      if (!node) continue;
      const allMoved = entry.sources.flatMap(({ node: other }) => (other ? [other] : []));
      const cause = causeOf(entry.startTime, node, allMoved, source.previousRect.top, source.currentRect.top);
      kivet.shifts.push({ value: entry.value, moved: node, cause });
    }
  }).observe({ type: 'layout-shift', buffered: true });

  new PerformanceObserver((list) => {
    for (const { element, url, startTime } of list.getEntries()) kivet.largest = { element, url, at: startTime };
  }).observe({ type: 'largest-contentful-paint', buffered: true });

  const listen = EventTarget.prototype.addEventListener;
  EventTarget.prototype.addEventListener = function (type, ...rest) {
    if (type === 'unload' && this === window) {
      const caller = (new Error().stack ?? '').split('\n').slice(2).join(' ');
      kivet.unload.push(caller.match(/https?:\/\/[^\s)]+/)?.[0] ?? location.href);
    }
    return listen.call(this, type, ...rest);
  };
  listen.call(window, 'pageshow', ({ persisted }) => kivet.pageshow.push(persisted));
})();
