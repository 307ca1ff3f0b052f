/** Marks an element while it loads: `[data-kivet-waiting]` is the page's to draw. */
export function markUntilLoaded(mark: Element, loading: HTMLElement = mark as HTMLElement): void {
  mark.toggleAttribute("data-kivet-waiting", true);
  const done = () => { mark.removeAttribute("data-kivet-waiting"); };
  loading.addEventListener("load", done, { once: true });
  loading.addEventListener("error", done, { once: true });
}
