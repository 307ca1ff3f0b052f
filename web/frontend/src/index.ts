/** Markup for pictures that Kivet serves. */
export { address, loader, urlPath, type AddressOptions } from "./address.js";
export { pictureAttributes, type AnyUse, type Attributes, type Loading, type PictureAttributes, type PictureUse } from "./attributes.js";
export { declarations } from "./declarations.js";
export { pictureHtml } from "./html.js";
export { MANIFEST_VERSION, type Manifest, type ManifestOffer, type ManifestOriginal, type ManifestPlace, type ManifestSource } from "./manifest.js";
export type { Known, OriginalName, OverlayName, PlaceName } from "./names.js";
export { recipeText, type Canvas, type Effect, type Filters, type Fit, type Format, type Position, type Ratio, type Recipe, type Region, type Side } from "./recipe.js";
