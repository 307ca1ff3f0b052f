import { MARGIN } from "./settings";

type Act = () => unknown;

const waiting = new WeakMap<Element, Act>();

// `scrollMargin` is the same within scrollers of their own, such as a strip that runs sideways.
// Browsers that do not know it act once the element is seen.
const margin = `${MARGIN}px`;
const observer = new IntersectionObserver(
  (entries) => {
    for (const { isIntersecting, target } of entries) {
      if (isIntersecting) {
        observer.unobserve(target);
        waiting.get(target)?.();
        waiting.delete(target);
      }
    }
  },
  { rootMargin: margin, scrollMargin: margin } as IntersectionObserverInit,
);

/** Acts once the element comes near the viewport. */
export function whenNear(element: Element, act: Act): void {
  waiting.set(element, act);
  observer.observe(element);
}
