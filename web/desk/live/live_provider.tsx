// The games that run, as the desk streams them: once for the whole page.
import { createContext, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import { useAddress } from "../parts/use_address.ts";
import type { LiveEvent, LiveGame, LiveRecording } from "../wire/types.ts";

/** A game of a meter, as it is now. */
export interface Game {
  meter: number;
  pid: number;
  name: string;
  picture: string;
  api: string;
  face: string;
  /** Its readings by id: a number, a text, or the reason why it is missing. */
  figures: Record<string, Figure>;
  isVisible: boolean;
  recording: LiveRecording | null;
  problem: string;
}

export type Figure = number | string | { missing: string };
export const numberIn = (figure: Figure | undefined) => (typeof figure === "number" ? figure : null);

/** Beside the pinned readings, these are streamed. */
const figures = ["frame.rate", "frame.average", "frame.low@1%", "frame.low@0.1%", "frame.span", "frame.limit", "recording.state"];

/** Frames of a game over the last seconds: when they were presented and how long they took, in milliseconds. */
export interface Frames {
  at: number[];
  ms: number[];
}

const idsIn = (asked: string) => asked.split(",").filter((id) => id !== "");

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

/** A reading changes less often than updates come: only other values are kept. */
function addValues(all: Map<string, number[]>, pid: number, now: Record<string, unknown>) {
  for (const [id, value] of Object.entries(now)) {
    if (typeof value !== "number") continue;
    const name = `${pid} ${id}`, past = all.get(name) ?? [];
    if (past.at(-1) !== value) all.set(name, [...past.slice(-59), value]);
  }
}

const gameOf = (meter: number, game: LiveGame, update: NonNullable<LiveEvent["update"]>): Game => ({
  meter, pid: game.pid, name: game.name, picture: game.picture ?? "", api: game.api ?? "", face: game.face ?? "",
  figures: (game.values ?? {}) as Record<string, Figure>, isVisible: update.visible,
  recording: update.recording ?? null, problem: update.recording_problem ?? "",
});

interface Live {
  /** Readings that are streamed too, by id. */
  pins: readonly string[];
  /** The newest numbers of a pinned reading, oldest first. */
  valuesOf: (pid: number, id: string) => readonly number[];
  games: readonly Game[];
  /** The one that is looked at. */
  game: Game | null;
  isConnected: boolean;
  framesOf: (pid: number) => Frames;
}

const Context = createContext<Live>({ pins: [], valuesOf: () => [], games: [], game: null, isConnected: false, framesOf: () => ({ at: [], ms: [] }) });
export const useLive = () => useContext(Context);

export function LiveProvider({ children }: { children: ReactNode }) {
  const [meters, setMeters] = useState<ReadonlyMap<number, readonly Game[]>>(new Map());
  const [isConnected, setConnected] = useState(false);
  const frames = useRef(new Map<number, Frames>());
  const values = useRef(new Map<string, number[]>());
  const { parameters } = useAddress();
  const asked = parameters.get("pins") ?? "", looked = Number(parameters.get("game"));

  useEffect(() => {
    let source: EventSource | null = null;
    const shown = new Map<number, number>();  // when each meter's words were
    const take = ({ meters: running, meter, update }: LiveEvent) => {
      if (running) setMeters((before) => new Map([...before].filter(([pid]) => running.includes(pid))));
      if (meter === undefined || !update) return;
      for (const game of update.games) {
        addValues(values.current, game.pid, { ...update.values, ...game.values });
        const of = frames.current.get(game.pid) ?? { at: [], ms: [] };
        frames.current.set(game.pid, of);
        addFrames(of, game);
      }
      const now = performance.now();  // frames are drawn as they come, words five times a second
      if (now - (shown.get(meter) ?? 0) < 200) return;
      shown.set(meter, now);
      setMeters((before) => new Map(before).set(meter, update.games.map((game) => gameOf(meter, game, update))));
    };
    const connect = () => {
      source?.close();
      source = null;
      if (document.hidden) return;
      source = new EventSource(`./api/live?${new URLSearchParams({ readings: [...figures, ...idsIn(asked)].join(",") })}`);
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
  }, [asked]);

  const live = useMemo<Live>(() => {
    const games = [...meters.values()].flat();
    return {
      pins: idsIn(asked), valuesOf: (pid, id) => values.current.get(`${pid} ${id}`) ?? [],
      games, game: games.find((one) => one.pid === looked) ?? games[0] ?? null, isConnected,
      framesOf: (pid) => frames.current.get(pid) ?? { at: [], ms: [] },
    };
  }, [meters, isConnected, asked, looked]);
  return <Context.Provider value={live}>{children}</Context.Provider>;
}
