import { type FunctionalComponent, h } from "vue";
import { type PictureUse, pictureAttributes } from "./attributes.js";
import type { Manifest } from "./manifest.js";

/** A component that shows originals in places; other attributes go to its element. */
export function pictureOf(manifest: Manifest): FunctionalComponent<PictureUse> {
  const Picture: FunctionalComponent<PictureUse> = (use) => {
    const { sources, img } = pictureAttributes(manifest, use);
    const element = h("img", img);
    return sources.length === 0 ? element : h("picture", [...sources.map((source) => h("source", source)), element]);
  };
  Picture.props = ["original", "place", "alt", "language", "loading", "versioned", "base", "version"];
  return Picture;
}
