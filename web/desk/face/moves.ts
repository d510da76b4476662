// The changes that put a part where it was dragged or pushed to.
import type { Area, FaceAnswer, SceneAnswer } from "../wire/types.ts";
import { nearestArea, pinAt, placeFor, unitOf, type Size } from "./drag.ts";
import { placeOf } from "./keys.ts";
import type { Change } from "./use_face.ts";

type Areas = SceneAnswer["areas"];

function placeChanges(box: Area, size: Size): Change[] {
  const { anchor, dx, dy } = placeFor(box, size);
  return [
    { do: "set", part: "face", key: "place.anchor", value: anchor },
    { do: "set", part: "face", key: "place.dx", value: String(dx) },
    { do: "set", part: "face", key: "place.dy", value: String(dy) },
  ];
}

function pinChanges(part: string, area: Area, size: Size): Change[] {
  const { x, y } = pinAt(area, size);
  return [{ do: "set", part, key: "at", value: `[${x}, ${y}]` }];
}

function rowChanges(part: string, area: Area, areas: Areas): Change[] {
  const rows = areas.filter((one) => placeOf(one.part).kind === "row");
  const target = nearestArea(rows, area.x + area.width / 2, area.y + area.height / 2);
  if (!target || target.part === part) return [];
  return [{ do: "move", part, to: String(placeOf(target.part).row + 1) }];
}

function cellChanges(part: string, area: Area, areas: Areas): Change[] {
  const cells = areas.filter((one) => placeOf(one.part).kind === "cell");
  const target = nearestArea(cells, area.x + area.width / 2, area.y + area.height / 2);
  if (!target || target.part === part) return [];
  const from = placeOf(part), to = placeOf(target.part);
  return [{ do: "move", part, to: from.row === to.row ? String(to.cell + 1) : `row:${to.row + 1}/${to.cell + 1}` }];
}

/** `area`: where the part was let go. */
export function changesFor(part: string, area: Area, size: Size, areas: Areas): Change[] {
  switch (placeOf(part).kind) {
    case "face":
      return placeChanges(area, size);
    case "pin":
      return pinChanges(part, area, size);
    case "row":
      return rowChanges(part, area, areas);
    case "cell":
      return cellChanges(part, area, areas);
  }
}

/** An arrow key: a pixel for the face and pins, a place for rows and cells. */
export function changesForKey(part: string, key: string, face: FaceAnswer, scene: SceneAnswer, size: Size): Change[] {
  const steps: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  const step = steps[key], area = scene.areas.find((one) => one.part === part)?.area;
  if (!step || !area || !face.parts) return [];
  const [right, down] = step, place = placeOf(part), unit = Math.max(1, unitOf(size));
  const moved = { ...area, x: area.x + right * unit, y: area.y + down * unit };
  if (place.kind === "face" || place.kind === "pin") return changesFor(part, moved, size, scene.areas);
  const row = face.parts.rows[place.row];
  if (place.kind === "cell" && right !== 0) {
    const to = place.cell + right;
    return to < 0 || to >= (row?.cells.length ?? 0) ? [] : [{ do: "move", part, to: String(to + 1) }];
  }
  const to = place.row + down;
  if (down === 0 || to < 0 || to >= face.parts.rows.length) return [];
  return [{ do: "move", part, to: place.kind === "row" ? String(to + 1) : `row:${to + 1}` }];
}
