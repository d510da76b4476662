// One face: what it is now, and every change to it. The desk has the truth; the page keeps the last answer.
import { useCallback, useEffect, useRef, useState } from "react";
import { DeskError, asDeskError, ask, tell } from "../parts/ask.ts";
import { firstAnswer } from "../parts/first_view.ts";
import type { FaceAnswer } from "../wire/types.ts";

export type Change =
  | { do: "set"; part: string; key: string; value: string }
  | { do: "unset"; part: string; key: string }
  | { do: "add"; reading: string; row?: string; at?: [number, number] }
  | { do: "add"; text: string; at: [number, number] }
  | { do: "move"; part: string; to: string }
  | { do: "remove"; part: string };

export interface FaceState {
  face: FaceAnswer | null;
  error: DeskError | null;
  /** The last changes, for the line that shows their command. */
  last: readonly Change[];
  /** Whether the desk was asked and hasn't answered yet. */
  isBusy: boolean;
  /** Why it resolves: whether the change was made. */
  change: (...changes: Change[]) => Promise<boolean>;
  undo: () => Promise<boolean>;
  redo: () => Promise<boolean>;
  reload: () => void;
}

function firstFace(name: string) {
  const face = firstAnswer("/api/face") as FaceAnswer | null;
  return face?.name === name ? face : null;
}

/** `name` stays the same: another face has another component. */
export function useFace(name: string): FaceState {
  const [face, setFace] = useState<FaceAnswer | null>(() => firstFace(name));
  const [error, setError] = useState<DeskError | null>(null);
  const [last, setLast] = useState<readonly Change[]>([]);
  const [isBusy, setBusy] = useState(false);
  const queue = useRef(Promise.resolve(true));
  const newest = useRef<FaceAnswer | null>(face);

  const take = useCallback((answer: FaceAnswer) => {
    newest.current = answer;
    setFace(answer);
  }, []);

  const load = useCallback(async (signal?: AbortSignal) => {
    try {
      const answer = await ask<FaceAnswer>("/api/face", { name }, signal);
      take(answer);
    } catch (reason) {
      if (!signal?.aborted) setError(asDeskError(reason));
    }
  }, [name, take]);

  /** If somebody else has changed the face meanwhile, the change is made to the new one: unless its parts aren't the same any more. */
  const edit = useCallback(async (changes: readonly Change[]) => {
    const told = () => tell<FaceAnswer>("/api/face/edit", { name, version: newest.current?.version ?? "", changes });
    const parts = JSON.stringify(newest.current?.parts);
    for (let tries = 1; ; ++tries) {
      try {
        return await told();
      } catch (reason) {
        if (!(reason instanceof DeskError) || reason.code !== "moved" || tries === 9) throw reason;
        await load();
        if (JSON.stringify(newest.current?.parts) !== parts) throw reason;
      }
    }
  }, [load, name]);

  useEffect(() => {
    if (newest.current) return;  // the page began with it
    const stop = new AbortController();
    void load(stop.signal);
    return () => { stop.abort(); };
  }, [load]);

  /** One after the other, so that each names the version that the one before made. */
  const enqueue = useCallback((step: () => Promise<FaceAnswer>) => {
    const run = async () => {
      setBusy(true);
      try {
        take(await step());
        setError(null);
        return true;
      } catch (reason) {
        setError(asDeskError(reason));
        return false;
      } finally {
        setBusy(false);
      }
    };
    queue.current = queue.current.then(run);
    return queue.current;
  }, [take]);

  const change = useCallback((...changes: Change[]) => {
    setLast(changes);
    return enqueue(() => edit(changes));
  }, [enqueue, edit]);
  const undo = useCallback(() => enqueue(() => tell<FaceAnswer>("/api/face/undo", { name })), [enqueue, name]);
  const redo = useCallback(() => enqueue(() => tell<FaceAnswer>("/api/face/redo", { name })), [enqueue, name]);
  const reload = useCallback(() => void load(), [load]);
  return { face, error, last, isBusy, change, undo, redo, reload };
}
