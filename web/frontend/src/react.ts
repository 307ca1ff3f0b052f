import { type ComponentProps, type CSSProperties, type ReactElement, createElement } from "react";
import { type Attributes, type PictureUse, pictureAttributes } from "./attributes.js";
import type { Manifest } from "./manifest.js";

/** React's names of attributes, where they are other ones. */
const NAMES: Record<string, string> = { srcset: "srcSet", fetchpriority: "fetchPriority" };

function props(attributes: Attributes): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(attributes).map(([name, value]) => [NAMES[name] ?? name, name === "style" ? style(value) : value]),
  );
}

/** One declaration, as all placeholders have. */
function style(text: string): CSSProperties {
  const at = text.indexOf(":");
  const name = text.slice(0, at).replace(/-(.)/g, (_, letter: string) => letter.toUpperCase());
  return { [name]: text.slice(at + 1) };
}

export type PictureProps = PictureUse & Omit<ComponentProps<"img">, keyof PictureUse | "src" | "srcSet" | "sizes">;

const OWN = ["original", "place", "alt", "language", "loading", "versioned", "base", "version"];

/** A component that shows originals in places; other attributes go to the `img`. */
export function pictureOf(manifest: Manifest): (props: PictureProps) => ReactElement {
  return function Picture(given: PictureProps) {
    const { sources, img } = pictureAttributes(manifest, given);
    const others = Object.fromEntries(Object.entries(given).filter(([name]) => !OWN.includes(name)));
    const element = createElement("img", { ...props(img), ...others });
    if (sources.length === 0) return element;
    return createElement(
      "picture",
      null,
      ...sources.map((source) => createElement("source", { key: source.media ?? "", ...props(source) })),
      element,
    );
  };
}
