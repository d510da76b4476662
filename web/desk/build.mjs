// usage: node build.mjs FOLDER: bundles the page into FOLDER/desk_assets: a file for each part, packed but for the first, and what embeds them in the command.
import { build } from "esbuild";
import { mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { gzipSync } from "node:zlib";

const from = dirname(fileURLToPath(import.meta.url));
const to = join(process.argv[2], "desk_assets");
const types = { css: "text/css; charset=utf-8", html: "text/html; charset=utf-8", js: "text/javascript; charset=utf-8", svg: "image/svg+xml" };

/** The page is in English: so are the words that React Aria has for screen readers, of which it brings 34 languages. */
const englishOnly = {
  name: "english only",
  setup({ onLoad }) {
    onLoad({ filter: /[/\\]intl[/\\].*[/\\][a-z]{2}-[A-Z]{2}\.m?js$/ }, ({ path }) => {
      if (path.includes("en-US")) return undefined;
      const ending = path.split(".").pop();
      return { contents: `export { default } from "./en-US.${ending}";`, resolveDir: dirname(path) };
    });
  },
};
const options = {
  plugins: [englishOnly],
  bundle: true, minify: true, format: "esm", target: "es2022", jsx: "automatic", outdir: "/", write: false, legalComments: "none", metafile: true,
  define: { "process.env.NODE_ENV": '"production"' }, logLevel: "warning",
};
const bundle = await build({ ...options, entryPoints: { desk: join(from, "main.tsx"), style: join(from, "desk.css") }, splitting: true });
const begin = await build({ ...options, entryPoints: { begin: join(from, "begin.ts") } });

/** The first page, rendered here once. */
async function firstPage() {
  const { outputFiles } = await build({ ...options, entryPoints: [join(from, "first_page.tsx")], platform: "node", format: "cjs", packages: "external" });
  const file = join(from, "first_page.cjs");
  writeFileSync(file, outputFiles[0].contents);
  try {
    return createRequire(import.meta.url)(file).firstPage();
  } finally {
    rmSync(file);
  }
}

/** The licences of all packages whose code is in the bundle, each licence's text once. */
function licences() {
  const texts = new Map();
  const folders = new Set(Object.keys(bundle.metafile.inputs).flatMap((file) => /^.*node_modules\/(?:@[^/]+\/)?[^/]+/.exec(file)?.[0] ?? []));
  for (const folder of [...folders].sort()) {
    const about = JSON.parse(readFileSync(join(folder, "package.json"), "utf8"));
    const file = readdirSync(folder).find((name) => /^licen[cs]e/i.test(name));
    const text = file ? readFileSync(join(folder, file), "utf8").trim() : "";
    texts.set(text, [...(texts.get(text) ?? []), `${about.name} ${about.version}: ${about.license}`]);
  }
  return [...texts].map(([text, packages]) => `${packages.join("\n")}\n\n${text}\n`).join("\n\n");
}

/** What the first view needs, so that a browser asks for all of it at once. */
function preloads() {
  const { outputs } = bundle.metafile, parts = new Set();
  const add = (file) => {
    if (parts.has(file)) return;
    parts.add(file);
    for (const { path, kind } of outputs[file].imports) if (kind === "import-statement") add(path);
  };
  for (const [file, { entryPoint }] of Object.entries(outputs)) if (entryPoint?.endsWith("desk/main.tsx")) add(file);
  return [...parts].map((file) => `<link rel="modulepreload" href="./${file.split("/").pop()}">`).join("\n");
}

const frame = readFileSync(join(from, "index.html"), "utf8").replace("<!-- PARTS -->", preloads());
const first = await firstPage();
const pages = { "/index.html": first.html, "/other.html": '<main><p class="quiet">One moment …</p></main>' };
const files = Object.entries(pages).map(([path, place]) => ({ path, bytes: Buffer.from(frame.replace("<!-- PLACE -->", place)) }));
files.push({ path: "/icon.svg", bytes: readFileSync(join(from, "icon.svg")) });
for (const { path, text } of [...bundle.outputFiles, ...begin.outputFiles]) files.push({ path, bytes: Buffer.from(path === "/style.css" ? text + first.css : text) });
files.push({ path: "/licences.txt", bytes: Buffer.from(licences()) });

mkdirSync(to, { recursive: true });
let assembly = "    .section .rodata\n", declarations = "", table = "";
files.forEach(({ path, bytes }, i) => {
  const packed = join(to, `${i}.gz`);
  writeFileSync(packed, path.endsWith(".html") ? bytes : gzipSync(bytes, { level: 9 }));
  assembly += `    .global idlemeter_desk_${i}\n    .global idlemeter_desk_${i}_end\nidlemeter_desk_${i}:\n    .incbin "${packed}"\nidlemeter_desk_${i}_end:\n`;
  declarations += `extern const char idlemeter_desk_${i}[], idlemeter_desk_${i}_end[];\n`;
  const type = types[path.split(".").pop()] ?? "text/plain; charset=utf-8";
  table += `    {"${path}", "${type}", {idlemeter_desk_${i}, static_cast<std::size_t>(idlemeter_desk_${i}_end - idlemeter_desk_${i})}},\n`;
});
writeFileSync(join(process.argv[2], "desk_assets.S"), assembly + '    .section .note.GNU-stack,"",@progbits\n');
writeFileSync(join(process.argv[2], "desk_assets.cpp"), `#include "desk/assets.hpp"

extern "C" {
${declarations}}

namespace idlemeter::desk {

std::span<const Asset> assets() {
  static const Asset all[] = {
${table}  };
  return all;
}

}  // namespace idlemeter::desk
`);
