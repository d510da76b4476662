import { useCallback, useState } from "react";
import { DeskError, tell } from "../parts/ask.ts";
import type { Game } from "./live_provider.tsx";

export interface Order {
  do: "show" | "hide" | "toggle" | "clear" | "mark" | "note" | "face" | "record";
  [key: string]: unknown;
}

/** Hands orders to a game's meter; what it refused last. */
export function useTell() {
  const [error, setError] = useState<DeskError | null>(null);
  const say = useCallback(async (path: string, what: object) => {
    try {
      await tell(path, what);
      setError(null);
      return true;
    } catch (reason) {
      if (reason instanceof DeskError) setError(reason);
      return false;
    }
  }, []);
  const send = useCallback((game: Game, command: Order) => say("/api/meter", { meter: game.meter, command }), [say]);
  const record = useCallback((game: Game, plan: object) => say("/api/record", { meter: game.meter, plan }), [say]);
  return { send, record, error };
}
