/** Against a running service, which `cargo test` starts: what is written here is what the service writes. */
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { resolve } from "node:path";
import parseSrcset from "@prettier/parse-srcset";
import { createElement } from "react";
import { renderToStaticMarkup } from "react-dom/server";
import { beforeAll, describe, expect, it } from "vitest";
import { build } from "vite";
import { createSSRApp, h } from "vue";
import { renderToString } from "@vue/server-renderer";
import { declarations, type Manifest, pictureHtml } from "../src/index.js";
import { pictureOf as reactPicture } from "../src/react.js";
import { kivet } from "../src/vite.js";
import { pictureOf as vuePicture } from "../src/vue.js";

const service = process.env.KIVET_SERVICE ?? "";

async function post<T>(path: string, body: unknown): Promise<T> {
  const headers = { authorization: `Bearer ${process.env.KIVET_TOKEN ?? ""}`, "content-type": "application/json" };
  const response = await fetch(service + path, { method: "POST", headers, body: JSON.stringify(body) });
  if (!response.ok) throw new Error(await response.text());
  return await response.json() as T;
}

describe.skipIf(!service)("beside the service", () => {
  let manifest: Manifest;
  const written: { original: string; place: string; text: string }[] = [];

  beforeAll(async () => {
    manifest = await post<Manifest>("/api/library/export", { shelves: ["photos"] });
    const originals = Object.keys(manifest.originals);
    for (const place of Object.keys(manifest.places)) {
      // One `first` to an order.
      const { loading } = manifest.places[place] ?? {};
      for (const some of loading === "first" ? originals.map((one) => [one]) : [originals]) {
        const { pictures } = await post<{ pictures: { original: string; text: string }[] }>("/api/markup", {
          originals: some, place, compact: true, base: "https://pics.windmark.example", versioned: true, language: "en",
        });
        written.push(...pictures.map((one) => ({ ...one, place })));
      }
    }
  }, 240_000);

  const use = (original: string, place: string) =>
    ({ original, place, base: "https://pics.windmark.example", versioned: true, language: "en" });

  it("writes byte for byte the same", () => {
    expect(written.length).toBeGreaterThan(150);
    for (const { original, place, text } of written) expect(pictureHtml(manifest, use(original, place))).toBe(text);
  });

  it("writes candidates that another parser of srcset reads as they were meant", async () => {
    const order = (place: string, form: string, more: object) => post<{ pictures: { text: string }[] }>("/api/markup", {
      originals: ["photos/harbour/roofs.jpg", "photos/brand/windmark-logo.png"], place, form, ...more,
    });
    const forms = [await order("card", "picture", {}), await order("portrait", "picture", {}), await order("wide", "preload", {})];
    const texts = [...written.map(({ text }) => text), ...forms.flatMap(({ pictures }) => pictures.map(({ text }) => text))];
    const lists = texts.flatMap((text) => [...text.matchAll(/(?:image)?srcset="([^"]*)"/g)].map(([, list]) => list ?? ""));
    expect(lists.length).toBeGreaterThan(150);
    for (const list of lists) {
      const read = parseSrcset(list.replaceAll("&amp;", "&"));
      const widths = read.map(({ width }) => width?.value ?? 0);
      expect(widths).toEqual([...new Set(widths)].sort((one, other) => one - other));
      expect(read.map(({ source, width }) => `${source.value} ${width?.value ?? 0}w`).join(", ")).toBe(list.replace(/\s+/g, " ").replaceAll("&amp;", "&"));
    }
  });

  it("renders the same in React, but for its spelling of names and empty elements", () => {
    const Picture = reactPicture(manifest);
    for (const { original, place, text } of written) {
      // React writes a preload of its own before an eager picture.
      const html = renderToStaticMarkup(createElement(Picture, use(original, place))).replace(/^<link [^>]*>/, "");
      expect(html.replaceAll("srcSet=", "srcset=").replaceAll("fetchPriority=", "fetchpriority=").replaceAll("/>", ">")).toBe(text);
    }
  });

  it("renders the same in Vue, but for its spelling of an apostrophe and the end of a style", async () => {
    const Picture = vuePicture(manifest);
    for (const { original, place, text } of written) {
      const html = await renderToString(createSSRApp({ render: () => h(Picture, use(original, place)) }));
      expect(html.replaceAll("&#39;", "&#x27;").replaceAll(';"', '"')).toBe(text);
    }
  });

  it("rewrites pages that Vite builds, by the rules that the service keeps", async () => {
    const headers = { authorization: `Bearer ${process.env.KIVET_TOKEN ?? ""}`, "content-type": "application/json" };
    const rules = { addresses: { "/img/": "photos/harbour" }, rules: [{ select: "figure", place: "card" }] };
    const kept = await fetch(`${service}/api/rules`, { method: "PUT", headers, body: JSON.stringify(rules) });
    expect(kept.status).toBe(200);
    const root = mkdtempSync(resolve(import.meta.dirname, ".page-"));
    try {
      const page = '<!doctype html><html lang="en"><head><title>Kites</title></head><body><figure><img src="/img/roofs.jpg" alt=""></figure></body></html>';
      writeFileSync(resolve(root, "index.html"), page);
      writeFileSync(resolve(root, "kivet-manifest.json"), JSON.stringify(manifest));
      await build({ root, logLevel: "silent", plugins: [kivet({ service, rewrite: true, types: false })] });
      expect(readFileSync(resolve(root, "dist/index.html"), "utf8")).toMatch(/<figure><img src="\/pic\/[^"]*\/photos\/harbour\/roofs\.jpg" srcset=/);
      const refused = build({ root, logLevel: "silent", plugins: [kivet({ service, rewrite: true, token: "guess", types: false })] });
      await expect(refused).rejects.toThrow("index.html was not rewritten");
    } finally {
      rmSync(root, { recursive: true });
    }
  }, 60_000);

  it("makes misspelt names fail to compile", () => {
    const root = resolve(import.meta.dirname, "..");
    const folder = mkdtempSync(resolve(root, "test/.names-"));
    try {
      const compile = (original: string, place: string) => {
        const source = `import { address, type PlaceName } from "kivet-frontend";\nexport const place: PlaceName = "${place}";\naddress({ width: 1 }, "${original}");\n`;
        writeFileSync(resolve(folder, "use.ts"), source);
        writeFileSync(resolve(folder, "names.d.ts"), declarations(manifest));
        writeFileSync(resolve(folder, "tsconfig.json"), JSON.stringify({
          extends: "../../tsconfig.json",
          compilerOptions: { paths: { "kivet-frontend": ["../../src/index.ts"] }, types: [] },
          include: ["use.ts", "names.d.ts"],
        }));
        try {
          execFileSync("npx", ["tsc", "--noEmit", "-p", folder], { cwd: root, stdio: "pipe" });
          return "";
        } catch (error) {
          return String((error as { stdout: Buffer }).stdout);
        }
      };
      expect(compile("photos/harbour/roofs.jpg", "card")).toBe("");
      expect(compile("photos/harbour/rooves.jpg", "card")).toContain("rooves.jpg");
      expect(compile("photos/harbour/roofs.jpg", "crad")).toContain("crad");
    } finally {
      rmSync(folder, { recursive: true });
    }
  }, 120_000);
});
