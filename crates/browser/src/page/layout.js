// Where every element of the body lies, and what shows a picture. Elements that markup may add or
// take away are left out: they have no box of their own.
(() => {
  const without = new Set(['picture', 'source', 'script', 'style', 'link', 'meta', 'noscript', 'template']);
  const box = (element) => {
    const { left, top, width, height } = element.getBoundingClientRect();
    return [left + scrollX, top + scrollY, width, height];
  };
  const own = (element) => {
    const name = element.id ? '#' + element.id : [...element.classList].slice(0, 2).map((one) => '.' + one).join('');
    return element.localName + name;
  };
  const all = [...document.body.querySelectorAll('*')].filter(({ localName }) => !without.has(localName));
  const shows = (element) => element.localName === 'img'
    || [null, '::before', '::after'].some((pseudo) => getComputedStyle(element, pseudo).backgroundImage.includes('url('));
  const pictures = [document.body, ...all].filter(shows).map((element) => ({
    name: element.parentElement ? `${own(element.parentElement.localName === 'picture' ? element.parentElement.parentElement : element.parentElement)} > ${own(element)}` : own(element),
    box: box(element),
    visible: element.checkVisibility({ opacityProperty: true, visibilityProperty: true }),
  }));
  const { scrollWidth, scrollHeight } = document.documentElement;
  return { elements: all.map((element) => [element.localName, box(element)]), pictures, size: [scrollWidth, scrollHeight] };
})()
