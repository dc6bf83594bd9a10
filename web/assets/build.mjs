// Builds styles, scripts and fonts into ../dist, which the binary embeds.
import { build } from "esbuild";
import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { from } from "./expressions.mjs";
import { copyFileSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";

// What is built has been looked through.
execFileSync("node_modules/.bin/eslint", ["src"], { stdio: "inherit" });
execFileSync("node_modules/.bin/tsc", ["-p", "."], { stdio: "inherit" });
const dist = new URL("../dist/", import.meta.url).pathname;
rmSync(dist, { recursive: true, force: true });
mkdirSync(dist, { recursive: true });
// The expressions of the templates are a module like any other.
const expressions = {
  name: "expressions",
  setup(b) {
    b.onResolve({ filter: /^expressions$/ }, () => ({ path: "expressions", namespace: "templates" }));
    b.onLoad({ filter: /.*/, namespace: "templates" }, () => ({ contents: from("../templates/"), loader: "js" }));
  },
};
await build({
  plugins: [expressions],
  entryPoints: ["src/main.js", "src/stream.js"],
  outdir: dist,
  bundle: true,
  splitting: true,
  format: "esm",
  minify: true,
  target: "es2022",
  legalComments: "eof",
  chunkNames: "[name]-[hash]",
});
execFileSync("node_modules/.bin/tailwindcss", ["-i", "src/app.css", "-o", dist + "app.css", "--minify"], {
  stdio: "inherit",
});
for (const [pkg, file] of [
  ["archivo-narrow", "archivo-narrow-latin-400-normal.woff2"],
  ["archivo-narrow", "archivo-narrow-latin-600-normal.woff2"],
  ["dm-mono", "dm-mono-latin-400-normal.woff2"],
])
  copyFileSync(`node_modules/@fontsource/${pkg}/files/${file}`, dist + file);

// What it was built from: the tests compare it with what lies here. Styles are made of the
// classes that templates use too.
const sources = [
  ...readdirSync("src").map((f) => "src/" + f),
  "build.mjs",
  "eslint.config.js",
  "expressions.mjs",
  "package-lock.json",
  "tsconfig.json",
  ...readdirSync("../templates").map((f) => "../templates/" + f),
].sort();
const digest = createHash("sha256");
for (const f of sources)
  digest
    .update(f + "\0")
    .update(readFileSync(f))
    .update("\0");
writeFileSync(dist + "sources.sha256", digest.digest("hex") + "\n");
