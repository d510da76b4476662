// What the desk's page works out by itself: places of what is dragged, keys of parts, commands, words.
// usage: node --test page.test.mjs, with WEB (the folder with node_modules and the page's code) set.
import assert from "node:assert/strict";
import { createRequire } from "node:module";
import { join } from "node:path";
import { test } from "node:test";

const { WEB } = process.env;
const { build } = createRequire(join(WEB, "x.js"))("esbuild");
const load = async (file) => {
  const { outputFiles } = await build({ entryPoints: [join(WEB, "desk", file)], bundle: true, format: "esm", write: false });
  return import(`data:text/javascript;base64,${Buffer.from(outputFiles[0].contents).toString("base64")}`);
};
const { placeFor, pinAt, settled } = await load("face/drag.ts");
const { changesFor, changesForKey } = await load("face/moves.ts");
const { keyName, keysFor, placeOf, tableOf, valueOf } = await load("face/keys.ts");
const { commandOf } = await load("face/command.ts");
const { recordingWords } = await load("live/recording_words.ts");

const size = { width: 1920, height: 1080 }, half = { width: 960, height: 540 };
const box = (x, y, width = 200, height = 100) => ({ x, y, width, height });

test("a face goes to the nearest corner, edge or the middle, and so far inward of it", () => {
  for (const [area, picture, anchor, dx, dy] of [
    [box(12, 24), size, "top-left", 12, 24],
    [box(860, 10), size, "top", 0, 10],
    [box(1700, 12), size, "top-right", 20, 12],
    [box(5, 490), size, "left", 5, 0],
    [box(870, 500), size, "centre", 10, 10],
    [box(1710, 480), size, "right", 10, -10],
    [box(0, 980), size, "bottom-left", 0, 0],
    [box(850, 960), size, "bottom", -10, 20],
    [box(1720, 980), size, "bottom-right", 0, 0],
    [box(6, 12, 100, 50), half, "top-left", 12, 24],
  ]) assert.deepEqual(placeFor(area, picture), { anchor, dx, dy }, JSON.stringify(area));
  assert.deepEqual(pinAt(box(100.04, 50), half), { x: 200.1, y: 100 });
});

test("what is dragged stays in the picture and lies on lines that are near", () => {
  for (const [by, others, reach, x, y, guides] of [
    [{ x: 50, y: 60 }, [], 8, 150, 160, 0],
    [{ x: -85, y: 0 }, [], 8, 12, 100, 1],  // the margin
    [{ x: 763, y: 393 }, [], 8, 860, 490, 2],  // its middle on the picture's
    [{ x: -85, y: 0 }, [], 0, 15, 100, 0],  // with Alt
    [{ x: 203, y: 0 }, [box(500, 700)], 8, 300, 100, 1],  // its end at another's beginning
    [{ x: -900, y: 4000 }, [], 8, 0, 980, 0],
  ]) {
    const found = settled(box(100, 100), by, size, others, reach);
    assert.deepEqual([found.area.x, found.area.y, found.guides.length], [x, y, guides], JSON.stringify(by));
  }
});

const face = {
  keys: { place: { dx: 7 }, row: [{ label: "GPU", cells: [{ reading: "gpu.load" }, { reading: "gpu.temp", as: "trace", range: [0, 90] }] }, { cells: [] }],
    pin: [{ at: [1, 2], text: "hi" }, { at: [3, 4], reading: "cpu.load" }] },
  parts: { rows: [{ part: "row:1", label: "GPU", cells: [{ part: "row:1/1" }, { part: "row:1/2" }] }, { part: "row:2", label: "", cells: [] }], pins: [] },
};
const areas = [["face", box(0, 0, 300, 60)], ["row:1", box(0, 0, 300, 30)], ["row:1/1", box(100, 0, 100, 30)], ["row:1/2", box(200, 0, 100, 30)],
  ["row:2", box(0, 30, 300, 30)], ["pin:1", box(500, 500)]].map(([part, area]) => ({ part, area }));

test("a part that was let go makes the changes that put it there", () => {
  const at = (part, area) => changesFor(part, area, size, areas).map(({ part: of, key, value, to }) => [of, key ?? to, value].filter((word) => word !== undefined).join(" "));
  assert.deepEqual(at("face", box(1720, 980)), ["face place.anchor bottom-right", "face place.dx 0", "face place.dy 0"]);
  assert.deepEqual(at("pin:1", box(30, 40)), ["pin:1 at [30, 40]"]);
  assert.deepEqual(at("row:1", box(0, 35, 300, 30)), ["row:1 2"]);
  assert.deepEqual(at("row:1", box(0, 3, 300, 30)), []);
  assert.deepEqual(at("row:1/1", box(210, 0, 100, 30)), ["row:1/1 2"]);
});

test("arrow keys push by a pixel or a place, and not beyond the ends", () => {
  const scene = { areas };
  for (const [part, key, changes] of [
    ["face", "ArrowRight", [{ do: "set", part: "face", key: "place.anchor", value: "top-left" }, { do: "set", part: "face", key: "place.dx", value: "1" }, { do: "set", part: "face", key: "place.dy", value: "0" }]],
    ["pin:1", "ArrowUp", [{ do: "set", part: "pin:1", key: "at", value: "[500, 499]" }]],
    ["row:1", "ArrowDown", [{ do: "move", part: "row:1", to: "2" }]],
    ["row:1", "ArrowUp", []],
    ["row:1", "ArrowLeft", []],
    ["row:1/1", "ArrowRight", [{ do: "move", part: "row:1/1", to: "2" }]],
    ["row:1/2", "ArrowRight", []],
    ["row:1/1", "ArrowDown", [{ do: "move", part: "row:1/1", to: "row:2" }]],
    ["row:1", "x", []],
    ["row:9", "ArrowDown", []],
  ]) assert.deepEqual(changesForKey(part, key, face, scene, size), changes, `${part} ${key}`);
});

test("a part has the keys of its table, its pin and its way", () => {
  const key = (table, name, ways = []) => ({ table, name, ways });
  const all = [key("", "name"), key("place", "dx"), key("row", "label"), key("row", "cells"), key("cell", "title"), key("cell", "range", ["trace", "ring"]), key("pin", "at"), key("colors", "cpu")];
  const named = (part) => keysFor(all, part, tableOf(face, part)).map(keyName);
  for (const [part, names] of [["face", ["name", "place.dx"]], ["row:1", ["label"]], ["row:1/1", ["title"]], ["row:1/2", ["title", "range"]], ["pin:1", ["at"]], ["pin:2", ["title", "at"]]])
    assert.deepEqual(named(part), names, part);
  assert.deepEqual(placeOf("row:12/3"), { kind: "cell", row: 11, cell: 2, pin: -1 });
  assert.deepEqual(tableOf(face, "row:7/1"), {}, "a part that is gone");
  for (const [part, of, value] of [["face", key("place", "dx"), "7"], ["face", key("place", "dy"), ""], ["row:1", key("row", "label"), "GPU"], ["row:1/2", key("cell", "range"), "[0,90]"]])
    assert.equal(valueOf(tableOf(face, part), of), value, part);
});

test("a command says what was done, whatever is in a name", () => {
  for (const [changes, command] of [
    [[{ do: "set", part: "face", key: "text.size", value: "22" }], "set mine text.size=22"],
    [[{ do: "set", part: "row:1", key: "label", value: "it's; rm" }], "set mine row:1 'label=it'\\''s; rm'"],
    [[{ do: "unset", part: "row:1/2", key: "color" }], "unset mine row:1/2 color"],
    [[{ do: "add", reading: "gpu.temp", row: "row:2" }], "add mine gpu.temp --row row:2"],
    [[{ do: "move", part: "row:1", to: "2" }], "move mine row:1 2"],
    [[{ do: "remove", part: "pin:1" }], "remove mine pin:1"],
    [[{ do: "set", part: "face", key: "place.dx", value: "1" }, { do: "set", part: "face", key: "place.dy", value: "2" }], "set mine place.dx=1 place.dy=2"],
  ]) assert.equal(commandOf("mine", changes), `idlemeter face ${command}`);
  assert.equal(commandOf("mine", []), "");
});

test("a recording is told in words", () => {
  for (const [recording, words] of [
    [{ state: "planned", in_s: 14.2 }, "starts in 15 s"],
    [{ state: "planned", waits_for: "a mark", number: 2, of: 3 }, "waits for a mark, 2 of 3"],
    [{ state: "opening" }, "begins"],
    [{ state: "recording", run: 4, left_s: 75, number: 1, of: 5 }, "run 4, 1:15 left, 1 of 5"],
    [{ state: "recording" }, "run …"],
    [{ state: "ending" }, "writing the end"],
  ]) assert.equal(recordingWords(recording), words);
});
