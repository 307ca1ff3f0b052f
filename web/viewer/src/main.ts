/**
 * What HTML cannot do: backgrounds and embeds that wait, and pictures fitted to where they stand.
 * Nothing breaks without it.
 */
import { embed } from "./embed";
import { whenNear } from "./near";
import { picture } from "./picture";
import { BACKGROUNDS, FADES } from "./settings";

const KINDS = [
  [`[data-kivet=background]${BACKGROUNDS ? `,${BACKGROUNDS}` : ""}`, background],
  ["[data-kivet=embed]", embed],
  ["img[data-kivet-picture]", picture],
  ["img[loading=lazy]", fade],
] as [string, (element: HTMLElement) => void][];

const known = new Map(KINDS.map(([, act]) => [act, new WeakSet<Element>()]));

/** A background that its stylesheet gives only to `[data-kivet-seen]`. */
function background(element: Element): void {
  whenNear(element, () => { element.toggleAttribute("data-kivet-seen", true); });
}

/** A lazy picture that comes after the page fades in. */
function fade(element: HTMLElement): void {
  if (!FADES || (element as HTMLImageElement).complete) return;
  element.style.opacity = "0";
  const show = () => {
    element.style.transition = "opacity .3s";
    element.style.opacity = "";
  };
  element.addEventListener("load", show, { once: true });
  element.addEventListener("error", show, { once: true });
}

function adopt(root: ParentNode): void {
  for (const [selector, act] of KINDS) {
    for (const element of root.querySelectorAll<HTMLElement>(selector)) {
      const done = known.get(act);
      if (done?.has(element) || element.closest("[data-kivet=leave]")) continue;
      done?.add(element);
      act(element);
    }
  }
}

function start(): void {
  adopt(document);
  // What is added later, and what is moved out of where it was left alone.
  new MutationObserver((records) => {
    for (const { target } of records) if (target instanceof Element) adopt(target);
  }).observe(document.documentElement, { childList: true, subtree: true });
}

if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", start);
else start();
