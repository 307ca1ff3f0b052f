import { whenNear } from "./near";
import { markUntilLoaded } from "./waiting";

/**
 * A film or map that is fetched on a click, or once it is near: `data-kivet-src` says what,
 * `data-kivet-when="near"` that nobody needs to ask. What stands in it keeps the room.
 */
export function embed(box: HTMLElement): void {
  const { kivetSrc, kivetWhen, kivetTitle } = box.dataset;
  if (!kivetSrc) return;
  const open = () => {
    const frame = document.createElement("iframe");
    // Its room is what it stands in for: nothing moves.
    const { width, height } = box.getBoundingClientRect();
    box.style.aspectRatio ||= `${width} / ${height}`;
    frame.src = kivetSrc;
    frame.title = kivetTitle ?? box.innerText.trim();
    frame.allow = "autoplay; fullscreen";
    frame.style.cssText = "width:100%;height:100%;border:0;display:block";
    markUntilLoaded(box, frame);
    box.replaceChildren(frame);
    return frame;
  };
  if (kivetWhen === "near") whenNear(box, open);
  else box.addEventListener("click", () => { open().focus(); }, { once: true });
}
