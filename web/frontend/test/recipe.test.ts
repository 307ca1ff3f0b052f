import { describe, expect, it } from "vitest";
import { address, loader, type Recipe, recipeText } from "../src/index.js";

const WRITTEN: [Recipe, string][] = [
  ["original", "original"],
  [{ width: 640 }, "640w"],
  [{ height: 360, density: 1.5, format: "webp" }, "360h_1.5x_as-webp"],
  [{ format: "avif", ratio: "3-2", width: 640, position: "30-40", fidelity: 70 }, "640w_ratio-3-2_at-30-40_fidelity-70_as-avif"],
  [{ width: 200, height: 100, fit: "contain", canvas: "f4efe6", position: "left" }, "200w_100h_contain_at-left_on-f4efe6"],
  [{ width: 320, place: "card", position: "top" }, "320w_@card_at-top"],
  [
    { width: 320, filters: { sharpen: 40, blur: { amount: 6, in: [50, 0, 50, 100] } }, trim: true, rotate: 90, flipX: true },
    "320w_trim_rotate-90_flip-x_blur-6.in-50-0-50-100_sharpen-40",
  ],
  [{ width: 320, overlays: ["mark"], still: true, lossless: true, keep: "credit" }, "320w_overlay-mark_still_lossless_keep-credit"],
];

describe("a recipe", () => {
  it.each(WRITTEN)("%j is %s", (recipe, text) => {
    expect(recipeText(recipe)).toBe(text);
  });

  it("cannot say what the grammar refuses", () => {
    // @ts-expect-error a fit needs a shape
    recipeText({ width: 640, fit: "cover" });
    // @ts-expect-error a position needs a shape
    recipeText({ position: "top" , width: 640 });
    // @ts-expect-error width, height and ratio are one too many
    recipeText({ width: 640, height: 360, ratio: "3-2" });
    // @ts-expect-error a ratio is two numbers
    recipeText({ width: 640, ratio: "3:2" });
    // @ts-expect-error lossless has no target
    recipeText({ width: 640, lossless: true, fidelity: 70 });
    // @ts-expect-error no such format
    recipeText({ width: 640, format: "bmp" });
    expect(() => recipeText({})).toThrow("This recipe is empty");
  });
});

describe("an address", () => {
  it("escapes the path", () => {
    expect(address({ width: 640 }, "photos/night market/50% off?.jpg")).toBe("/pic/640w/photos/night%20market/50%25%20off%3F.jpg");
    expect(address("original", "photos/a.jpg", { base: "https://pics.example/", version: "abc" })).toBe("https://pics.example/pic/original/photos/a.jpg?v=abc");
  });

  it("serves loader hooks", () => {
    expect(loader("/photos/a.jpg", 640)).toBe("/pic/640w/photos/a.jpg");
    expect(loader("photos/a.jpg", 640, 70)).toBe("/pic/640w_fidelity-70/photos/a.jpg");
  });
});
