import type { Clauses } from "../api/client";

/** A recipe's text from its clauses, in the canonical order. The service checks it; nothing is judged here. */
export function recipeText(clauses: Clauses): string {
  const parts = [
    clauses.width && `${clauses.width}w`,
    clauses.height && `${clauses.height}h`,
    clauses.density && `${clauses.density}x`,
    clauses.ratio && `ratio-${clauses.ratio}`,
    clauses.fit,
    clauses.position && `at-${clauses.position}`,
    ...clauses.edits,
    clauses.lossless ? "lossless" : clauses.fidelity && `fidelity-${clauses.fidelity}`,
    clauses.format && `as-${clauses.format}`,
    clauses.canvas && `on-${clauses.canvas}`,
  ];
  return parts.filter((part): part is string => typeof part === "string" && part !== "").join("_");
}

/** The clauses with one changed, and those gone that the change leaves without meaning. */
export function changed(clauses: Clauses, change: Partial<Clauses>): Clauses {
  const next = { ...clauses, ...change };
  if (change.ratio && next.width) next.height = null;
  if (change.height && next.width) next.ratio = null;
  const shaped = Boolean(next.ratio) || Boolean(next.width && next.height);
  if (!shaped) next.fit = null;
  const placed = shaped && (!next.fit || next.fit === "cover" || (next.fit === "contain" && Boolean(next.canvas)));
  if (!placed) next.position = null;
  if (!next.width && !next.height) next.density = null;
  return next;
}

/** True where there is something to place: `cover` cuts, `contain` leaves canvas. */
export function canPlace(clauses: Clauses): boolean {
  return changed({ ...clauses, position: "top" }, {}).position !== null;
}
