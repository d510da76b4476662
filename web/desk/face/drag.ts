// Where something goes that is dragged on the picture. All in pixels of the picture.
import type { Area } from "../wire/types.ts";

export interface Size {
  width: number;
  height: number;
}

/** One unit of a face's lengths. */
export const unitOf = (size: Size) => size.height / 1080;

export interface Guide {
  along: "x" | "y";
  at: number;
}

interface Snap {
  shift: number;
  guide: number | null;
}

/** Moves a stretch so that an end or its middle lies on the nearest line that is close enough. */
function snapped(from: number, length: number, lines: readonly number[], reach: number): Snap {
  let best: Snap = { shift: 0, guide: null };
  let nearest = reach;
  for (const line of lines) {
    for (const part of [0, length / 2, length]) {
      const shift = line - (from + part);
      if (Math.abs(shift) < nearest) {
        nearest = Math.abs(shift);
        best = { shift, guide: line };
      }
    }
  }
  return best;
}

/** The area at its new place, drawn to the picture's edges and middle and to the other areas, with the lines that it lies on. */
export function settled(area: Area, by: { x: number; y: number }, size: Size, others: readonly Area[], reach: number): { area: Area; guides: Guide[] } {
  const moved = { ...area, x: area.x + by.x, y: area.y + by.y }, margin = 12 * unitOf(size);
  const linesX = [margin, size.width / 2, size.width - margin, ...others.flatMap((one) => [one.x, one.x + one.width])];
  const linesY = [margin, size.height / 2, size.height - margin, ...others.flatMap((one) => [one.y, one.y + one.height])];
  const x = snapped(moved.x, area.width, linesX, reach), y = snapped(moved.y, area.height, linesY, reach);
  const guides: Guide[] = [];
  if (x.guide !== null) guides.push({ along: "x", at: x.guide });
  if (y.guide !== null) guides.push({ along: "y", at: y.guide });
  return { area: { ...moved, x: clamp(moved.x + x.shift, 0, size.width - area.width), y: clamp(moved.y + y.shift, 0, size.height - area.height) }, guides };
}

const clamp = (value: number, least: number, most: number) => Math.max(least, Math.min(value, Math.max(least, most)));
const rounded = (value: number) => Math.round(value * 10) / 10;

/** The place of a face whose box lies there: the nearest corner, edge or the middle, and how far inward of it. */
export function placeFor(box: Area, size: Size): { anchor: string; dx: number; dy: number } {
  const unit = unitOf(size);
  const third = (middle: number, whole: number) => Math.min(2, Math.floor((middle / whole) * 3));
  const column = third(box.x + box.width / 2, size.width), row = third(box.y + box.height / 2, size.height);
  const inward = (which: number, from: number, length: number, whole: number) =>
    rounded((which === 0 ? from : which === 2 ? whole - from - length : from - (whole - length) / 2) / unit);
  const anchors = [["top-left", "top", "top-right"], ["left", "centre", "right"], ["bottom-left", "bottom", "bottom-right"]];
  return {
    anchor: anchors[row]?.[column] ?? "top-left",
    dx: inward(column, box.x, box.width, size.width),
    dy: inward(row, box.y, box.height, size.height),
  };
}

/** The place of a pin whose area lies there. */
export const pinAt = (area: Area, size: Size) => ({ x: rounded(area.x / unitOf(size)), y: rounded(area.y / unitOf(size)) });

/** The area of a list that a point is nearest to. */
export function nearestArea<Item extends { area: Area }>(items: readonly Item[], x: number, y: number): Item | undefined {
  const distance = ({ area }: Item) => Math.hypot(x - (area.x + area.width / 2), 3 * (y - (area.y + area.height / 2)));
  return [...items].sort((a, b) => distance(a) - distance(b))[0];
}
