import type { Manifest } from "./manifest.js";

/** A declaration file that makes misspelt originals, places and overlays fail to compile. */
export function declarations(manifest: Manifest): string {
  const union = (names: string[]) => names.map((name) => `\n      | ${JSON.stringify(name)}`).join("") || " never";
  return `// Written from the manifest by kivet-frontend.
/// <reference types="kivet-frontend/manifest" />
import "kivet-frontend";

declare module "kivet-frontend" {
  interface Known {
    originals:${union(Object.keys(manifest.originals))};
    places:${union(Object.keys(manifest.places))};
    overlays:${union(manifest.overlays)};
  }
}
`;
}
