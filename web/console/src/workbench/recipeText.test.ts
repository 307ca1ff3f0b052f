import { expect, test } from "vitest";
import type { Clauses } from "../api/client";
import { canPlace, changed, recipeText } from "./recipeText";

const empty: Clauses = { lossless: false, edits: [] };

test("clauses are written in the canonical order", () => {
  const clauses: Clauses = { ...empty, canvas: "f4efe6", format: "avif", fidelity: 70, position: "top", ratio: "3-2", density: 2, width: 640 };
  expect(recipeText(clauses)).toBe("640w_2x_ratio-3-2_at-top_fidelity-70_as-avif_on-f4efe6");
  expect(recipeText({ ...empty, width: 640, edits: ["trim", "blur-6"], format: "webp" })).toBe("640w_trim_blur-6_as-webp");
  expect(recipeText({ ...empty, lossless: true, fidelity: 70 })).toBe("lossless");
});

test("a change takes along what it leaves without meaning", () => {
  const square: Clauses = { ...empty, width: 640, ratio: "1-1", fit: "cover", position: "top" };
  expect(recipeText(changed(square, { ratio: null }))).toBe("640w");
  expect(recipeText(changed(square, { height: 400 }))).toBe("640w_400h_cover_at-top");
  expect(recipeText(changed(square, { fit: "fill" }))).toBe("640w_ratio-1-1_fill");
  expect(recipeText(changed({ ...empty, width: 640, density: 2 }, { width: null }))).toBe("");
});

test("position matters only where something is left over", () => {
  expect(canPlace({ ...empty, width: 640 })).toBe(false);
  expect(canPlace({ ...empty, ratio: "1-1" })).toBe(true);
  expect(canPlace({ ...empty, ratio: "1-1", fit: "contain" })).toBe(false);
  expect(canPlace({ ...empty, ratio: "1-1", fit: "contain", canvas: "clear" })).toBe(true);
});
