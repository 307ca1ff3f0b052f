/** What pages import from the Vite plugin. */
declare module "kivet:manifest" {
  import type { Manifest } from "kivet-frontend";

  const manifest: Manifest;
  export default manifest;
}
