// Functions for reading computed backgrounds.
(() => {
  // The layers of a computed value: its parts between commas outside parentheses and quotes.
  const layersOf = (value) => {
    const layers = [''];
    let depth = 0;
    for (const [part] of value.matchAll(/"(?:[^"\\]|\\.)*"|[\s\S]/g)) {
      if (part === '(') depth += 1;
      if (part === ')') depth -= 1;
      if (part === ',' && depth === 0) layers.push('');
      else layers[layers.length - 1] += part;
    }
    return layers.map((layer) => layer.trim());
  };

  // Width and height of a pseudo-element's padding box, [0, 0] if it has none. An inline one has no
  // used width; the element's box stands for it.
  const sizeOfPseudo = (element, pseudo) => {
    const style = getComputedStyle(element, pseudo);
    const { width, height } = element.getBoundingClientRect();
    if (style.content === 'none' || style.display === 'none' || !element.checkVisibility()) return [0, 0];
    const used = [parseFloat(style.width), parseFloat(style.height)];
    if (used.some(Number.isNaN)) return [width, height];
    const sum = (names) => names.reduce((total, name) => total + (parseFloat(style[name]) || 0), 0);
    const added = (sides) => (style.boxSizing === 'border-box'
      ? -sum(sides.map((side) => `border${side}Width`))
      : sum(sides.map((side) => `padding${side}`)));
    return [used[0] + added(['Left', 'Right']), used[1] + added(['Top', 'Bottom'])].map((one) => Math.max(0, one));
  };

  return { layersOf, sizeOfPseudo };
})()
