// The line that does the same in a terminal.
import type { Change } from "./use_face.ts";

const quoted = (word: string) => (/^[\w@%.,:/+=-]+$/.test(word) ? word : `'${word.replaceAll("'", "'\\''")}'`);

export function commandOf(face: string, changes: readonly Change[]): string {
  const [first, ...rest] = changes;
  if (!first) return "";
  const keys = rest.flatMap((one) => (one.do === "set" ? [quoted(`${one.key}=${one.value}`)] : []));
  return [commandOfOne(face, first), ...keys].join(" ");
}

function commandOfOne(face: string, change: Change): string {
  const line = (...words: string[]) => ["idlemeter face", ...words.map((word, i) => (i === 0 ? word : quoted(word)))].join(" ");
  switch (change.do) {
    case "set":
      return change.part === "face" ? line("set", face, `${change.key}=${change.value}`) : line("set", face, change.part, `${change.key}=${change.value}`);
    case "unset":
      return line("unset", face, change.part, change.key);
    case "move":
      return line("move", face, change.part, change.to);
    case "remove":
      return line("remove", face, change.part);
    case "add": {
      const where = "at" in change ? ["--at", ...change.at.map(String)] : "row" in change && change.row ? ["--row", change.row] : [];
      return "text" in change ? line("add", face, "--text", change.text, ...where) : line("add", face, change.reading, ...where);
    }
  }
}
