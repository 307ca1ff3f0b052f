import type { Manifest } from "./manifest.js";

/** A declaration file that makes misspelt originals, places and overlays fail to compile. */
export function declarations(manifest: Manifest): string {
  const union = (names: string[]) => names.map((name) => `\n      | ${JSON.stringify(name)}`).join("") || " never";
  return `// Written from the manifest by kivet-frontend.
import "kivet-frontend";

declare module "kivet-frontend" {
  interface Known {
    originals:${union(Object.keys(manifest.originals))};
    places:${union(Object.keys(manifest.places))};
    overlays:${union(manifest.overlays)};
  }
}

declare module "kivet:manifest" {
  import type { Manifest } from "kivet-frontend";

  const manifest: Manifest;
  export default manifest;
}
`;
}
