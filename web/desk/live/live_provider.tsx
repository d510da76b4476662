// The games that run, as the desk streams them: once for the whole page.
import { createContext, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import type { LiveEvent, LiveGame, LiveRecording } from "../wire/types.ts";

/** A game of a meter, as it is now. */
export interface Game {
  meter: number;
  pid: number;
  name: string;
  picture: string;
  api: string;
  face: string;
  average: number | null;
  low: number | null;
  isVisible: boolean;
  recording: LiveRecording | null;
  problem: string;
}

/** Frames of a game over the last seconds: when they were presented and how long they took, in milliseconds. */
export interface Frames {
  at: number[];
  ms: number[];
}

const kept = 20_000;  // milliseconds

function addFrames(frames: Frames, game: LiveGame) {
  for (const [at, interval] of game.new_frames_ns ?? []) {
    if (typeof at !== "number" || typeof interval !== "number") continue;
    frames.at.push(at / 1e6);
    frames.ms.push(interval / 1e6);
  }
  const newest = frames.at.at(-1) ?? 0, first = frames.at.findIndex((at) => at > newest - kept);
  if (first > 500) {
    frames.at.splice(0, first);
    frames.ms.splice(0, first);
  }
}

const gameOf = (meter: number, game: LiveGame, update: NonNullable<LiveEvent["update"]>): Game => ({
  meter, pid: game.pid, name: game.name, picture: game.picture ?? "", api: game.api ?? "", face: game.face ?? "",
  average: game.average_fps ?? null, low: game.low_1_percent_fps ?? null, isVisible: update.visible,
  recording: update.recording ?? null, problem: update.recording_problem ?? "",
});

interface Live {
  games: readonly Game[];
  isConnected: boolean;
  framesOf: (pid: number) => Frames;
}

const Context = createContext<Live>({ games: [], isConnected: false, framesOf: () => ({ at: [], ms: [] }) });
export const useLive = () => useContext(Context);

export function LiveProvider({ children }: { children: ReactNode }) {
  const [meters, setMeters] = useState<ReadonlyMap<number, readonly Game[]>>(new Map());
  const [isConnected, setConnected] = useState(false);
  const frames = useRef(new Map<number, Frames>());

  useEffect(() => {
    let source: EventSource | null = null;
    let shown = 0;
    const take = ({ meters: running, meter, update }: LiveEvent) => {
      if (running) setMeters((before) => new Map([...before].filter(([pid]) => running.includes(pid))));
      if (meter === undefined || !update) return;
      for (const game of update.games) {
        const of = frames.current.get(game.pid) ?? { at: [], ms: [] };
        frames.current.set(game.pid, of);
        addFrames(of, game);
      }
      const now = performance.now();  // frames are drawn as they come, words five times a second
      if (now - shown < 200) return;
      shown = now;
      setMeters((before) => new Map(before).set(meter, update.games.map((game) => gameOf(meter, game, update))));
    };
    const connect = () => {
      source?.close();
      source = null;
      if (document.hidden) return;
      source = new EventSource("/api/live");
      source.onopen = () => { setConnected(true); };
      source.onerror = () => { setConnected(false); };
      source.onmessage = (event: MessageEvent<string>) => { take(JSON.parse(event.data) as LiveEvent); };
    };
    document.addEventListener("visibilitychange", connect);
    connect();
    return () => {
      document.removeEventListener("visibilitychange", connect);
      source?.close();
    };
  }, []);

  const live = useMemo<Live>(() => ({
    games: [...meters.values()].flat(), isConnected,
    framesOf: (pid) => frames.current.get(pid) ?? { at: [], ms: [] },
  }), [meters, isConnected]);
  return <Context.Provider value={live}>{children}</Context.Provider>;
}
