// The bar on pages that `kivet try` shows: with and without Kivet, pictures outlined, what changed.
(() => {
  const state = document.currentScript.dataset.kivetTry;
  const host = document.createElement('div');
  host.style.cssText = 'position:fixed;inset:auto 12px 12px auto;z-index:2147483647';
  const root = host.attachShadow({ mode: 'open' });
  const other = state === 'with' ? 'without' : 'with';
  root.innerHTML = `<style>
    div { font: 14px/1.4 system-ui, sans-serif; background: #14212b; color: #fff; border-radius: 8px; padding: 8px 12px;
          box-shadow: 0 2px 10px #0006; display: flex; gap: 14px; align-items: center }
    a, button { color: #9fd6ff; background: none; border: 0; font: inherit; cursor: pointer; padding: 0; text-decoration: underline }
    </style><div><span>${state} Kivet</span><span id=sum></span><a href="/.kivet/${other}">show ${other}</a>
    <button type=button>outline pictures</button><a href="/.kivet/changes">changes</a></div>`;
  document.documentElement.append(host);

  const sent = (url) => performance.getEntriesByName(url).at(-1)?.encodedBodySize ?? 0;
  const kilo = (bytes) => `${(bytes / 1000).toFixed(1)} kB`;
  const sum = () => {
    const urls = new Set([...document.images].map((image) => image.currentSrc).filter(Boolean));
    const bytes = [...urls].reduce((total, url) => total + sent(url), 0);
    root.getElementById('sum').textContent = `${urls.size} pictures, ${kilo(bytes)}`;
  };
  addEventListener('load', () => setTimeout(sum, 300));
  addEventListener('scroll', sum, { passive: true });

  let labels = [];
  root.querySelector('button').addEventListener('click', async () => {
    if (labels.length) {
      labels.forEach(({ label, image, outline }) => { label.remove(); image.style.outline = outline; });
      labels = [];
      return;
    }
    const page = encodeURIComponent(location.pathname);
    const told = await fetch(`/.kivet/pictures?page=${page}`).then((answer) => answer.json());
    const rule = (image) => told.find((one) => one.original && image.currentSrc.includes(encodeURI(one.original)));
    labels = [...document.images].filter((image) => image.currentSrc && image.width > 8).map((image) => {
      const box = image.getBoundingClientRect();
      const needed = box.width * box.height * devicePixelRatio ** 2;
      const probe = new Image();
      const label = document.createElement('span');
      label.style.cssText = `position:absolute;left:${box.x + scrollX}px;top:${box.y + scrollY}px;z-index:2147483646;`
        + 'background:#14212bdd;color:#fff;font:12px/1.3 system-ui,sans-serif;padding:2px 6px;white-space:pre';
      probe.onload = () => {
        const surplus = probe.naturalWidth * probe.naturalHeight / needed - 1;
        const found = rule(image);
        label.textContent = `shown ${Math.round(box.width)} x ${Math.round(box.height)}, sent ${probe.naturalWidth} x ${probe.naturalHeight}`
          + ` (${surplus > 0 ? '+' : ''}${Math.round(surplus * 100)}%), ${kilo(sent(image.currentSrc))}`
          + (found?.rule ? `\n${found.place}, rule ${found.rule}` : '');
      };
      probe.src = image.currentSrc;
      const { outline } = image.style;
      image.style.outline = '3px solid #ff7a3d';
      document.body.append(label);
      return { label, image, outline };
    });
  });
})();
