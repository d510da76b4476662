// The keys of a part, out of the face file's tables.
import type { FaceAnswer, FileKey } from "../wire/types.ts";

export type Table = Record<string, unknown>;

const tableIn = (value: unknown): Table => (typeof value === "object" && value !== null && !Array.isArray(value) ? (value as Table) : {});
const tablesIn = (value: unknown): Table[] => (Array.isArray(value) ? value.map(tableIn) : []);

export interface PartPlace {
  kind: "face" | "row" | "cell" | "pin";
  row: number;
  cell: number;
  pin: number;
}

/** "row:2/1" → the first cell of the second row, from 0. */
export function placeOf(part: string): PartPlace {
  const row = /^row:(\d+)(?:\/(\d+))?$/.exec(part), pin = /^pin:(\d+)$/.exec(part);
  if (row?.[2] !== undefined) return { kind: "cell", row: Number(row[1]) - 1, cell: Number(row[2]) - 1, pin: -1 };
  if (row) return { kind: "row", row: Number(row[1]) - 1, cell: -1, pin: -1 };
  if (pin) return { kind: "pin", row: -1, cell: -1, pin: Number(pin[1]) - 1 };
  return { kind: "face", row: -1, cell: -1, pin: -1 };
}

/** What the file says of a part; a key that isn't there has its default. */
export function tableOf(face: FaceAnswer, part: string): Table {
  const { kind, row, cell, pin } = placeOf(part);
  const keys: Table = face.keys;
  if (kind === "face") return keys;
  if (kind === "pin") return tablesIn(keys["pin"])[pin] ?? {};
  const table = tablesIn(keys["row"])[row] ?? {};
  return kind === "row" ? table : (tablesIn(table["cells"])[cell] ?? {});
}

/** Tables inside the face's own. */
const inner = ["place", "text", "back"];

/** The keys that a form shows for a part, the common ones first. */
export function keysFor(all: readonly FileKey[], part: string, table: Table): FileKey[] {
  const { kind } = placeOf(part);
  if (kind === "face") return all.filter((key) => key.table === "" || inner.includes(key.table));
  if (kind === "row") return all.filter((key) => key.table === "row" && key.name !== "cells");
  const way = typeof table["as"] === "string" ? table["as"] : "text";
  const ways = way === "text+trace" ? ["text", "trace"] : [way];
  const has = (key: FileKey) => key.ways.length === 0 || key.ways.some((one) => ways.includes(one) || one === way);
  const isOfPin = kind === "pin" && !("reading" in table);
  return all.filter((key) => (kind === "pin" && key.table === "pin") || (!isOfPin && key.table === "cell" && has(key)));
}

/** What FaceText calls a key. */
export const keyName = (key: FileKey) => (inner.includes(key.table) ? `${key.table}.${key.name}` : key.name);

/** The value of a key as one would type it, or "" where it has its default. */
export function valueOf(table: Table, key: FileKey): string {
  const value = (inner.includes(key.table) ? tableIn(table[key.table]) : table)[key.name];
  if (value === undefined || value === null) return "";
  return typeof value === "string" ? value : JSON.stringify(value);
}
