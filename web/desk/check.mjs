// usage: node check.mjs, in a copy beside node_modules: makes the wire's types of their schema, then checks all code against them and for mistakes.
import { spawnSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { compileFromFile } from "json-schema-to-typescript";

const here = dirname(fileURLToPath(import.meta.url));
writeFileSync(join(here, "wire/types.ts"), await compileFromFile(join(here, "wire/wire.schema.json"), { additionalProperties: true, bannerComment: "// Made of wire.schema.json." }));

let failed = false;
for (const [tool, ...words] of [["typescript/bin/tsc", "--project", here], ["eslint/bin/eslint.js", here]]) {
  const { status } = spawnSync(process.execPath, [join(here, "../node_modules", tool), ...words], { stdio: "inherit", cwd: here });
  failed ||= status !== 0;
}
process.exit(failed ? 1 : 0);
