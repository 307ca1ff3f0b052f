import type { OriginalName } from "./names.js";
import { type Recipe, recipeText } from "./recipe.js";

export interface AddressOptions {
  /** What stands before `/pic/`, where pictures come from another host than the page. */
  base?: string;
  /** The version, `?v=`: such responses never change. */
  version?: string;
}

/** What must be escaped in a segment of a URL's path beyond what `encodeURI` does (RFC 3986, section 3.3). */
const ESCAPED: Record<string, string> = { "#": "%23", "?": "%3F" };

/** `shelf/path` as it stands in a URL. */
export function urlPath(original: string): string {
  return encodeURI(original).replace(/[#?]/g, (one) => ESCAPED[one] ?? one);
}

/** The URL of a rendition. */
export function address(recipe: Recipe, original: OriginalName, options: AddressOptions = {}): string {
  return join(recipeText(recipe), urlPath(original), options);
}

/** The URL of a recipe and a path that are written already. */
export function join(recipe: string, path: string, { base = "", version }: AddressOptions): string {
  return `${base.replace(/\/+$/, "")}/pic/${recipe}/${path}${version ? `?v=${version}` : ""}`;
}

/**
 * A loader as frameworks call it for their own image components: they bring the width, and a quality if somebody set
 * one, which is taken as the fidelity.
 */
export function loader(src: string, width: number, quality?: number): string {
  const recipe: Recipe = { width, ...(quality !== undefined && { fidelity: quality }) };
  return join(recipeText(recipe), urlPath(src.replace(/^\/+/, "")), {});
}
