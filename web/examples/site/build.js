/** Builds the site: each page of `pages` with its front matter and partials becomes one file of `dist`. */
import { copyFile, mkdir, readFile, readdir, writeFile } from "node:fs/promises";
import { pictureHtml } from "kivet-frontend";
import { banner } from "./partials/banner.js";
import { gallery } from "./partials/gallery.js";

const here = (path) => new URL(path, import.meta.url);
const json = async (path) => JSON.parse(await readFile(here(path), "utf8"));

const manifest = await json("kivet-manifest.json");
const write = (use) => pictureHtml(manifest, use);

/** Lines of `name: value` between two lines of dashes, then the body. */
function page(text) {
  const [, head, body] = /^---\n(.*?)\n---\n(.*)$/s.exec(text) ?? ["", "", text];
  const facts = Object.fromEntries(head.split("\n").map((line) => line.split(/:\s*(.*)/).slice(0, 2)));
  return { facts, body };
}

await mkdir(here("dist"), { recursive: true });
await copyFile(here("site.css"), here("dist/site.css"));
for (const name of await readdir(here("pages"))) {
  const { facts, body } = page(await readFile(here(`pages/${name}`), "utf8"));
  const pictures = facts.gallery ? gallery(await json(facts.gallery), write) : "";
  await writeFile(here(`dist/${name}`), `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${facts.title}</title>
<link rel="stylesheet" href="site.css">
</head>
<body>
${banner(facts, write)}
<main>
${body}${pictures}
</main>
</body>
</html>
`);
}
