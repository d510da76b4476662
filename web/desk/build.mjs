// usage: node build.mjs FOLDER: bundles the page into FOLDER/desk_assets: a file for each part, packed but for the first, and what embeds them in the command.
import { build } from "esbuild";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { gzipSync } from "node:zlib";

const from = dirname(fileURLToPath(import.meta.url));
const to = join(process.argv[2], "desk_assets");
const types = { css: "text/css; charset=utf-8", html: "text/html; charset=utf-8", js: "text/javascript; charset=utf-8", svg: "image/svg+xml" };

const bundle = await build({
  entryPoints: { desk: join(from, "main.tsx"), style: join(from, "desk.css") },
  bundle: true, minify: true, splitting: true, format: "esm", target: "es2021", jsx: "automatic", outdir: "/", write: false, legalComments: "none",
  define: { "process.env.NODE_ENV": '"production"' }, logLevel: "warning",
});

/** The licences of all packages whose code is in the bundle. */
function licences() {
  const packages = new Map();
  for (const folder of ["react", "react-dom", "scheduler", "react-aria-components", "uplot"]) {
    const about = JSON.parse(readFileSync(join(from, "../node_modules", folder, "package.json"), "utf8"));
    packages.set(about.name, `${about.name} ${about.version}: ${about.license}`);
  }
  return [...packages.values()].join("\n") + "\n";
}

const files = ["index.html", "icon.svg"].map((name) => ({ path: `/${name}`, bytes: readFileSync(join(from, name)) }));
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
