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
  const send = useCallback(async (game: Game, command: Order) => {
    try {
      await tell("/api/meter", { meter: game.meter, command });
      setError(null);
      return true;
    } catch (reason) {
      if (reason instanceof DeskError) setError(reason);
      return false;
    }
  }, []);
  return { send, error };
}
