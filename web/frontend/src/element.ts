import type { Loading } from "./attributes.js";
import { pictureHtml } from "./html.js";
import type { Manifest } from "./manifest.js";

/**
 * Defines `<kivet-picture original="photos/harbour/roofs.jpg" place="card" alt="...">`, for pages without a framework.
 */
export function definePicture(manifest: Manifest, name = "kivet-picture"): void {
  class PictureElement extends HTMLElement {
    static observedAttributes = ["original", "place", "alt", "language", "loading"];

    connectedCallback() { this.show(); }

    attributeChangedCallback() { if (this.isConnected) this.show(); }

    private show() {
      const said = (name: string) => this.getAttribute(name) ?? undefined;
      const [alt, language] = [said("alt"), said("language")];
      const loading = said("loading") as Loading | undefined;
      this.innerHTML = pictureHtml(manifest, {
        original: said("original") ?? "",
        place: said("place") ?? "",
        ...(alt !== undefined && { alt }),
        ...(language !== undefined && { language }),
        ...(loading !== undefined && { loading }),
      });
    }
  }
  customElements.define(name, PictureElement);
}
