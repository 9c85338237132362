// Builds web/static from web/src and the npm packages; run by `make assets`. With
// a folder as argument it builds there, so that the test can compare.
import { build } from "esbuild";
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const out = process.argv[2] ?? "web/static";
mkdirSync(join(out, "fonts"), { recursive: true });

// part.js is the part sheet's own: it carries three.
// sw.js is the worker that keeps the bench's sheets.
for (const name of ["app.js", "part.js", "sw.js"]) await build({
  entryPoints: [`web/src/${name}`],
  outfile: join(out, name),
  bundle: true, minify: true, format: "iife", target: "es2022", legalComments: "none",
});
execFileSync("node_modules/.bin/tailwindcss", ["-i", "web/src/app.css", "-o", join(out, "app.css"), "--minify"], { stdio: ["ignore", "ignore", "inherit"] });

const licences = [];
for (const [name, cut] of [["next", "atkinson-hyperlegible-next"], ["mono", "atkinson-hyperlegible-mono"]]) {
  const from = `node_modules/@fontsource-variable/${cut}`;
  for (const script of ["latin", "latin-ext"]) {
    copyFileSync(`${from}/files/${cut}-${script}-wght-normal.woff2`, join(out, "fonts", `${name}-${script}.woff2`));
  }
  licences.push([`Atkinson Hyperlegible ${name === "next" ? "Next" : "Mono"}`, `${from}/LICENSE`]);
}
licences.push(["htmx", "node_modules/htmx.org/LICENSE"]);
licences.push(["three.js", "node_modules/three/LICENSE"]);
licences.push(["Tailwind CSS", "node_modules/tailwindcss/LICENSE"]);
const text = licences.map(([what, file]) => `${what}\n${"=".repeat(what.length)}\n\n${readFileSync(file, "utf8").trim()}\n`);
// The package of Alpine's CSP build names its licence but does not carry the text.
const alpine = JSON.parse(readFileSync("node_modules/@alpinejs/csp/package.json", "utf8"));
if (alpine.license !== "MIT") throw new Error("Alpine.js has changed its licence");
const mit = readFileSync("node_modules/tailwindcss/LICENSE", "utf8").trim().split("\n").slice(4).join("\n");
text.push(`Alpine.js (CSP build)\n=====================\n\nMIT License\n\nCopyright (c) Caleb Porzio and contributors\n\n${mit}\n`);
writeFileSync(join(out, "LICENCES.txt"), text.join("\n\n"));
