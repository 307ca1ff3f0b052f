import { type AddressOptions, join } from "./address.js";
import { MANIFEST_VERSION, type Manifest, type ManifestOriginal, type ManifestPlace, type ManifestSource } from "./manifest.js";
import type { OriginalName, PlaceName } from "./names.js";

export type Loading = "first" | "near" | "later" | "hidden";

/** One picture in one place. */
export interface PictureUse extends AddressOptions {
  /** The original, as `shelf/path`. */
  original: OriginalName;
  /** The place it appears in. */
  place: PlaceName;
  /** What stands in for it where it cannot be seen; empty if it is decorative; the library's if left out. */
  alt?: string;
  /** The language of the library's alternative texts. */
  language?: string;
  /** Instead of the place's. */
  loading?: Loading;
  /** True to name the version that the manifest knows. */
  versioned?: boolean;
}

/** Attributes of an element in the order they are written. Values are text. */
export type Attributes = Record<string, string>;

/** What is written: the `source` elements, if the picture needs any, and the `img`. */
export interface PictureAttributes {
  sources: Attributes[];
  img: Attributes;
}

/** No wider than this is what a browser gets that knows no `srcset`. */
const FALLBACK_WIDTH = 1000;

/** A use whose names were not checked when it was compiled. */
export type AnyUse = Omit<PictureUse, "original" | "place"> & { original: string; place: string };

/** The attributes for a picture in a place, as the service writes them. */
export function pictureAttributes(manifest: Manifest, use: AnyUse): PictureAttributes {
  const { original, place, offer } = found(manifest, use);
  const loading = use.loading ?? place.loading;
  const lazy = loading === "later" || loading === "hidden";
  const auto = place.autoSizes && lazy ? "auto, " : "";
  const version = use.versioned ? original.version : use.version;
  const written = (source: ManifestSource) => source.steps.map(([recipe, width]) => {
    const url = join(String(recipe), original.path, { ...(use.base && { base: use.base }), ...(version && { version }) });
    return { url, width: Number(width) };
  });
  const srcset = (source: ManifestSource) => written(source).map(({ url, width }) => `${url} ${width}w`).join(", ");
  const candidates = written(offer.main);
  const fallback = candidates.findLast(({ width }) => width <= FALLBACK_WIDTH) ?? candidates[0];
  const alt = use.alt ?? libraryAlt([offer.alt, original.alt], use.language);
  const priority = loading === "first" ? "high" : loading === "hidden" ? "low" : undefined;
  const style = placeholder(place.placeholder, original);
  return {
    sources: (offer.sources ?? []).map((source) => ({
      ...(source.media && { media: source.media }),
      srcset: srcset(source),
      sizes: auto + source.sizes,
      width: String(source.width),
      height: String(source.height),
    })),
    img: {
      src: fallback?.url ?? "",
      ...(candidates.length > 1 && { srcset: srcset(offer.main), sizes: auto + offer.main.sizes }),
      width: String(offer.main.width),
      height: String(offer.main.height),
      ...(alt !== undefined && { alt }),
      loading: lazy ? "lazy" : "eager",
      ...(priority && { fetchpriority: priority }),
      decoding: "async",
      ...(style && { style }),
    },
  };
}

function found(manifest: Manifest, use: AnyUse) {
  if (manifest.version !== MANIFEST_VERSION) {
    throw new Error(`This manifest has the form ${manifest.version}, not ${MANIFEST_VERSION}: export it with a Kivet of this package's version.`);
  }
  const original = manifest.originals[use.original];
  if (!original) throw new Error(`The manifest has no original ${use.original}: run kivet library export again.`);
  const place = manifest.places[use.place];
  const offer = original.places[use.place];
  if (!place || !offer) throw new Error(`The manifest has no place ${use.place}: run kivet library export again.`);
  return { original, place, offer };
}

/**
 * The text of the place before the one of all places, and in each the language's exact tag before its primary one
 * before one for any; where no language is asked for, the only text there is.
 */
function libraryAlt(texts: (Record<string, string> | undefined)[], language: string | undefined): string | undefined {
  const exact = (language ?? "").toLowerCase();
  const primary = exact.split("-")[0] ?? "";
  for (const all of texts) {
    const entries = Object.entries(all ?? {});
    const of = (tag: string) => entries.find(([known]) => known.toLowerCase() === tag)?.[1];
    const only = language === undefined && entries.length === 1 ? entries[0]?.[1] : undefined;
    const text = of(exact) ?? of(primary) ?? of("") ?? only;
    if (text !== undefined) return text;
  }
  return undefined;
}

/** Nothing stands under a picture with transparent parts: the manifest has neither colour nor miniature of it. */
function placeholder(kind: ManifestPlace["placeholder"], { flat, soft }: ManifestOriginal): string | undefined {
  switch (kind) {
    case "none": return undefined;
    case "flat": return flat;
    case "soft": return soft ?? flat;
    default: return flat && `background:url(${kind}) center / cover no-repeat`;
  }
}
