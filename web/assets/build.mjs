// Builds styles, scripts and fonts into ../dist, which the binary embeds.
import { build } from "esbuild";
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, rmSync } from "node:fs";

const dist = new URL("../dist/", import.meta.url).pathname;
rmSync(dist, { recursive: true, force: true });
mkdirSync(dist, { recursive: true });
await build({
  entryPoints: ["src/main.js", "src/stream.js"], outdir: dist, bundle: true, splitting: true, format: "esm",
  minify: true, target: "es2022", legalComments: "eof", chunkNames: "[name]-[hash]",
});
execFileSync("node_modules/.bin/tailwindcss", ["-i", "src/app.css", "-o", dist + "app.css", "--minify"], { stdio: "inherit" });
for (const [pkg, file] of [
  ["archivo-narrow", "archivo-narrow-latin-400-normal.woff2"], ["archivo-narrow", "archivo-narrow-latin-600-normal.woff2"],
  ["dm-mono", "dm-mono-latin-400-normal.woff2"],
]) copyFileSync(`node_modules/@fontsource/${pkg}/files/${file}`, dist + file);
