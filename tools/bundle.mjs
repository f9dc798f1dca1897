// Bundles the page scripts and copies fonts and the mark to web/static, from where the program serves them.

import { cp, mkdir, readdir } from "node:fs/promises";
import { build } from "esbuild";

const out = "web/static";
await mkdir(out + "/fonts", { recursive: true });
const pages = (await readdir("web/ui/pages")).filter((name) => name.endsWith(".ts") && name !== "theme.ts");
await build({
  entryPoints: pages.map((name) => `web/ui/pages/${name}`),
  bundle: true,
  format: "esm",
  target: "es2022",
  minify: true,
  outdir: out,
  logLevel: "warning",
});
await build({
  entryPoints: ["web/ui/pages/theme.ts"],
  bundle: true,
  format: "iife",
  minify: true,
  outdir: out,
  logLevel: "warning",
});
const text = "node_modules/@fontsource-variable/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-";
const mono = "node_modules/@fontsource/spline-sans-mono/files/spline-sans-mono-";
for (const [from, to] of [
  [text + "latin-wght-normal.woff2", "text.woff2"],
  [text + "latin-ext-wght-normal.woff2", "text-ext.woff2"],
  [text + "latin-wght-italic.woff2", "text-italic.woff2"],
  [mono + "latin-400-normal.woff2", "mono.woff2"],
  [mono + "latin-ext-400-normal.woff2", "mono-ext.woff2"],
])
  await cp(from, `${out}/fonts/${to}`);
await cp("web/ui/mark.svg", out + "/mark.svg");
