/**
 * What the script's own tag says: `<script src="/kivet.js" defer data-margin="600" data-fade
 * data-backgrounds=".tile">`.
 */
const script = document.currentScript;
const said: DOMStringMap = script instanceof HTMLScriptElement ? script.dataset : {};

const margin = Number(said.margin ?? NaN);

/** How far before the viewport things are fetched, in CSS pixels. */
export const MARGIN = Number.isFinite(margin) ? margin : 400;

/** Selectors of elements whose backgrounds wait, beside those marked by `data-kivet="background"`. */
export const BACKGROUNDS = said.backgrounds;

/** True if lazy pictures fade in. */
export const FADES = said.fade !== undefined && !matchMedia("(prefers-reduced-motion: reduce)").matches;

/** What stands before `/pic/`: the host that the script came from. */
export const BASE = said.base ?? (script instanceof HTMLScriptElement && script.src ? new URL(script.src).origin : "");
