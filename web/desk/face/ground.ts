// The picture that the overlay is shown on.
import type { Size } from "./drag.ts";

export function sizeIn(text: string | null): Size {
  const found = /^(\d{2,4})x(\d{2,4})$/.exec(text ?? "");
  const [width, height] = found ? [Number(found[1]), Number(found[2])] : [1920, 1080];
  return { width: Math.min(4096, Math.max(64, width)), height: Math.min(4096, Math.max(64, height)) };
}

export const usualGround = "day";

/** Shown as large as there is room; else pixel by pixel. */
export const isFittedIn = (parameters: URLSearchParams) => parameters.get("view") !== "true";

/** A picture that is shown smaller than it is doesn't need all its pixels. */
export function groundAddress(name: string, size: Size, isFitted: boolean): string {
  const scale = isFitted && size.width >= 1600 ? 2 : 1;
  return `./api/ground?name=${encodeURIComponent(name)}&width=${Math.round(size.width / scale)}&height=${Math.round(size.height / scale)}`;
}
