import type { OverlayName, PlaceName } from "./names.js";

export type Fit = "cover" | "contain" | "fill" | "scale-down";
export type Format = "avif" | "jxl" | "webp" | "jpeg" | "png" | "gif";
export type Side =
  | "center" | "top" | "bottom" | "left" | "right" | "top-left" | "top-right" | "bottom-left" | "bottom-right";

/** Width to height, as `3-2`. */
export type Ratio = `${number}-${number}`;

/** CSS `object-position`: percents such as `30-40`, sides, or what matters in the picture. */
export type Position = `${number}-${number}` | Side | "focus" | "subject";

/** A part of the picture in percent: left, top, width, height. */
export type Region = readonly [number, number, number, number];

const EFFECTS = [
  "blur", "saturate", "brightness", "contrast", "grayscale", "sepia", "hue-rotate", "sharpen", "pixelate",
] as const;

export type Effect = (typeof EFFECTS)[number];

/** A filter: its amount, for all of the picture or a part. */
export type Filters = { [Name in Effect]?: number | { amount: number; in: Region } };

/** What lies behind: six hexadecimal digits, or nothing. */
export type Canvas = "clear" | (string & {});

/** A box without a shape of its own: one side, or none. */
interface Open {
  ratio?: never;
  fit?: never;
  position?: never;
}

type Sides = { width?: number; height?: never } | { width?: never; height?: number };

/** A box with a shape: a ratio, two sides, or what a place brings. */
type Shaped = (
  | (Sides & { ratio: Ratio; place?: PlaceName })
  | { width: number; height: number; ratio?: never; place?: PlaceName }
  | (Sides & { ratio?: never; place: PlaceName })
) & { fit?: Fit; position?: Position };

interface Edits {
  /** Pixels per CSS pixel: multiplies the box. */
  density?: number;
  /** Uniform borders off. */
  trim?: boolean;
  /** Quarter turns clockwise. */
  rotate?: 90 | 180 | 270;
  flipX?: boolean;
  flipY?: boolean;
  filters?: Filters;
  overlays?: readonly OverlayName[];
  /** The first frame of an animated picture. */
  still?: boolean;
  format?: Format;
  canvas?: Canvas;
  keep?: "credit" | "all";
}

type Quality = { fidelity?: number; lossless?: never } | { lossless: true; fidelity?: never };

/** What is asked of an original. `original` is the file itself. */
export type Recipe = "original" | (((Sides & Open & { place?: never }) | Shaped) & Edits & Quality);

/** A recipe as URLs have it, in the canonical order. */
export function recipeText(recipe: Recipe): string {
  if (recipe === "original") return recipe;
  const clauses = [
    recipe.width !== undefined && `${recipe.width}w`,
    recipe.height !== undefined && `${recipe.height}h`,
    recipe.density !== undefined && `${recipe.density}x`,
    recipe.place !== undefined && `@${recipe.place}`,
    recipe.ratio !== undefined && `ratio-${recipe.ratio}`,
    recipe.fit,
    recipe.position !== undefined && `at-${recipe.position}`,
    recipe.trim && "trim",
    recipe.rotate && `rotate-${recipe.rotate}`,
    recipe.flipX && "flip-x",
    recipe.flipY && "flip-y",
    ...EFFECTS.map((effect) => filterText(effect, recipe.filters?.[effect])),
    ...(recipe.overlays ?? []).map((name) => `overlay-${name}`),
    recipe.still && "still",
    recipe.lossless ? "lossless" : recipe.fidelity !== undefined && `fidelity-${recipe.fidelity}`,
    recipe.format && `as-${recipe.format}`,
    recipe.canvas && `on-${recipe.canvas}`,
    recipe.keep && `keep-${recipe.keep}`,
  ].filter((clause) => typeof clause === "string");
  if (clauses.length === 0) throw new Error("This recipe is empty: say at least one thing, such as a width.");
  return clauses.join("_");
}

function filterText(effect: Effect, filter: Filters[Effect]): string | false {
  if (filter === undefined) return false;
  return typeof filter === "number" ? `${effect}-${filter}` : `${effect}-${filter.amount}.in-${filter.in.join("-")}`;
}
