// What the face place begins with: asked for by begin.ts at once, and taken by those who show it, who ask for what comes after by themselves.
import type { FirstView } from "../wire/types.ts";

declare global {
  interface Window {
    /** Null if it can't be had. */
    firstView?: Promise<FirstView | null>;
  }
}

const partOf: Record<string, keyof FirstView> = {
  "/api/faces": "faces", "/api/face": "face", "/api/face/scene": "scene", "/api/keys": "keys", "/api/readings": "readings",
};
let view: Partial<FirstView> = {};

export const setFirstView = (next: Partial<FirstView>) => { view = next; };
export const waitForFirstView = async () => { setFirstView((await window.firstView) ?? {}); };

/** The answer to a question that the page begins with, if it is there. */
export const firstAnswer = (path: string): unknown => {
  const part = partOf[path];
  return part === undefined ? null : view[part] ?? null;
};

/** From now on everything is asked. */
export const endFirstView = () => { setFirstView({}); };
