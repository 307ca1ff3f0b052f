import { readFile, writeFile } from "node:fs/promises";
import { resolve } from "node:path";
import type { Plugin } from "vite";
import { declarations } from "./declarations.js";
import type { Manifest } from "./manifest.js";

export interface KivetOptions {
  /** The manifest that `kivet library export` wrote; `kivet-manifest.json` if left out. */
  manifest?: string;
  /** Where the declarations of all names are written; `kivet-names.d.ts` if left out, nowhere if false. */
  types?: string | false;
  /** The service that pictures come from in development. */
  service?: string;
  /** True to rewrite pages by the rules that the service keeps: `kivet rules set`. */
  rewrite?: boolean;
  /** The admin token, for rewriting; `KIVET_TOKEN` of the environment if left out. */
  token?: string;
}

/** What pages import: `import manifest from "kivet:manifest"`. */
const MODULE = "kivet:manifest";

/** A page rewritten by the rules that the service keeps. */
async function rewritten(html: string, page: string, service: string, token: string | undefined): Promise<string> {
  if (!token) throw new Error("Rewriting pages needs the admin token: set KIVET_TOKEN, or the option token.");
  const answer = await fetch(`${service}/api/rewrite?page=${encodeURIComponent(page)}`, {
    method: "POST",
    headers: { authorization: `Bearer ${token}`, "content-type": "text/html" },
    body: html,
  });
  if (answer.ok) return answer.text();
  const problem = await answer.json() as { detail?: string };
  throw new Error(`${page} was not rewritten: ${problem.detail ?? answer.statusText}`);
}

/** Serves the manifest as a module, writes the names it has, and sends pictures to the service in development. */
export function kivet({ manifest = "kivet-manifest.json", types = "kivet-names.d.ts", service = "http://127.0.0.1:8484", rewrite = false, token = process.env["KIVET_TOKEN"] }: KivetOptions = {}): Plugin {
  let file = manifest;
  return {
    name: "kivet",
    config: () => ({ server: { proxy: { "/pic": service, "/kivet.js": service } } }),
    configResolved(config) { file = resolve(config.root, manifest); },
    async buildStart() {
      this.addWatchFile(file);
      if (types === false) return;
      const text = declarations(await read(file));
      const target = resolve(file, "..", types);
      // Written only if it changed: a checker that watches it need not start again.
      if (await readFile(target, "utf8").catch(() => "") !== text) await writeFile(target, text);
    },
    transformIndexHtml: {
      order: "post",
      handler: (html, { path }) => (rewrite ? rewritten(html, path.replace(/^\//, ""), service, token) : html),
    },
    resolveId: (id) => (id === MODULE ? `\0${MODULE}` : undefined),
    async load(id) {
      return id === `\0${MODULE}` ? `export default ${JSON.stringify(await read(file))}` : undefined;
    },
  };
}

async function read(file: string): Promise<Manifest> {
  const text = await readFile(file, "utf8").catch((error: unknown) => {
    throw new Error(`There is no manifest ${file}: write it with kivet library export ${file}.`, { cause: error });
  });
  return JSON.parse(text) as Manifest;
}
