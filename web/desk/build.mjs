// usage: node build.mjs FOLDER: bundles the page into FOLDER/desk_assets: a file for each part, packed but for the first, and what embeds them in the command.
import { build } from "esbuild";
import { mkdirSync, readFileSync, readdirSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { gzipSync } from "node:zlib";

const from = dirname(fileURLToPath(import.meta.url));
const to = join(process.argv[2], "desk_assets");
const types = { css: "text/css; charset=utf-8", html: "text/html; charset=utf-8", js: "text/javascript; charset=utf-8", svg: "image/svg+xml" };

const bundle = await build({
  entryPoints: { desk: join(from, "main.tsx"), style: join(from, "desk.css") },
  bundle: true, minify: true, splitting: true, format: "esm", target: "es2021", jsx: "automatic", outdir: "/", write: false, legalComments: "none", metafile: true,
  define: { "process.env.NODE_ENV": '"production"' }, logLevel: "warning",
});

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
  for (const [file, { entryPoint }] of Object.entries(outputs)) if (/desk\/main\.tsx$|face_place\.tsx$/.test(entryPoint ?? "")) add(file);
  return [...parts].map((file) => `<link rel="modulepreload" href="/${file.split("/").pop()}">`).join("\n");
}

const files = ["index.html", "icon.svg"].map((name) => ({ path: `/${name}`, bytes: readFileSync(join(from, name)) }));
files[0].bytes = Buffer.from(files[0].bytes.toString().replace("<!-- PARTS -->", preloads()));
for (const file of bundle.outputFiles) files.push({ path: file.path, bytes: Buffer.from(file.contents) });
files.push({ path: "/licences.txt", bytes: Buffer.from(licences()) });

mkdirSync(to, { recursive: true });
let assembly = "    .section .rodata\n", declarations = "", table = "";
files.forEach(({ path, bytes }, i) => {
  const packed = join(to, `${i}.gz`);
  writeFileSync(packed, path === "/index.html" ? bytes : gzipSync(bytes, { level: 9 }));
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
