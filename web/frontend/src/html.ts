import { type AnyUse, type Attributes, pictureAttributes } from "./attributes.js";
import type { Manifest } from "./manifest.js";

const ESCAPES: Record<string, string> = { "&": "&amp;", '"': "&quot;", "'": "&#x27;", "<": "&lt;", ">": "&gt;" };

function tag(name: string, attributes: Attributes): string {
  const escaped = (text: string) => text.replace(/[&"'<>]/g, (one) => ESCAPES[one] ?? one);
  const written = Object.entries(attributes).map(([key, value]) => ` ${key}="${escaped(value)}"`);
  return `<${name}${written.join("")}>`;
}

/** The markup for a picture in a place: what `kivet markup --compact` writes. */
export function pictureHtml(manifest: Manifest, use: AnyUse): string {
  const { sources, img } = pictureAttributes(manifest, use);
  if (sources.length === 0) return tag("img", img);
  return `<picture>${sources.map((source) => tag("source", source)).join("")}${tag("img", img)}</picture>`;
}
