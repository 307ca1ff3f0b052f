import { whenNear } from "./near";
import { BASE } from "./settings";
import { markUntilLoaded } from "./waiting";

/** The service's steps: these and their doubles, up to 3840. */
const STEPS = [40, 43, 46, 50, 53, 57, 60, 65, 70, 75];
const WIDEST = 3840;

/** The least step of at least so many pixels. */
function stepFor(pixels: number): number {
  for (let times = 1; ; times *= 2) {
    const step = STEPS.map((one) => one * times).find((one) => one >= pixels);
    if (step) return Math.min(step, WIDEST);
  }
}

const held = new WeakMap<HTMLImageElement, number>();

/** Asks for the picture at its shown width times density; never for fewer pixels than it has. */
function fit(picture: HTMLImageElement): void {
  const density = devicePixelRatio;
  const step = stepFor(picture.clientWidth * density);
  if (!picture.clientWidth || step <= (held.get(picture) ?? 0)) return;
  held.set(picture, step);
  const { kivetPicture = "", kivetRecipe = "" } = picture.dataset;
  // Small pixels hide the same damage: the service's own rule.
  const target = Math.round(80 - 8 * Math.log2(Math.max(density, 1)));
  const clauses = [`${step}w`, kivetRecipe, kivetRecipe.includes("fidelity-") ? "" : `fidelity-${target}`];
  markUntilLoaded(picture);
  picture.src = `${BASE}/pic/${clauses.filter(Boolean).join("_")}/${kivetPicture}`;
}

const sizes = new ResizeObserver((entries) => {
  for (const { target } of entries) fit(target as HTMLImageElement);
});

/** A picture named by `data-kivet-picture` without `src`. */
export function picture(element: HTMLImageElement): void {
  whenNear(element, () => {
    fit(element);
    // Told once at the start as well, which asks for nothing new.
    sizes.observe(element);
  });
}
