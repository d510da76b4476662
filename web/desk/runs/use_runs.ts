// The list of runs as the address asks for it, and what changes it.
import { useCallback, useMemo, useState } from "react";
import { type DeskError, asDeskError, tell } from "../parts/ask.ts";
import { useAddress } from "../parts/use_address.ts";
import { useAsked } from "../parts/use_asked.ts";
import type { RunFigures, RunList } from "../wire/types.ts";
import { runList, runsIn } from "./run_numbers.ts";

export interface Filter {
  text: string;
  game: string;
  tags: string[];
  settings: string[];
  since: string;
}

/** Runs are asked for in so many at once. */
export const block = 50;

export function useFilter() {
  const { parameters, go } = useAddress();
  const [text, game, tag, setting, since] = ["text", "of", "tag", "setting", "since"].map((name) => parameters.get(name) ?? "") as [string, string, string, string, string];
  const filter = useMemo<Filter>(() => ({ text, game, tags: tag ? [tag] : [], settings: setting ? [setting] : [], since }), [text, game, tag, setting, since]);
  const order = parameters.get("order") ?? "number", isRising = parameters.has("rising");
  return { filter, order, isRising, go };
}

/** The runs around the block that begins with `first`, and their figures; both follow the store. */
export function useRuns(first: number) {
  const { filter, order, isRising } = useFilter();
  const from = Math.max(0, first - block);
  const question = { filter: JSON.stringify(filter), order, rising: isRising ? "yes" : "", from, count: 3 * block };
  const { answer: list, error } = useAsked<RunList>("/api/runs", question, 1500);
  const whole = (list?.runs ?? []).filter((run) => run.problem === "").map((run) => run.run);
  const shown = whole.length === 0 ? null : { runs: runList([...whole].sort((a, b) => a - b)), frames: (list?.runs ?? []).map((run) => run.frames).join() };
  const { answer: figures } = useAsked<RunFigures>("/api/runs/figures", shown);
  const byRun = useMemo(() => new Map((figures?.runs ?? []).map((one) => [one.run, one])), [figures]);
  return { list, error, figures: byRun };
}

export type RunChange = {
  game?: string; note?: string; tags?: string[]; tags_to_drop?: string[]; settings?: string[]; settings_to_drop?: string[];
};

/** Changes to runs; what was removed can be brought back. */
export function useChanges() {
  const [error, setError] = useState<DeskError | null>(null);
  const { parameters, go } = useAddress();
  const removed = runsIn(parameters.get("removed"));
  const attempt = useCallback(async (path: string, body: object) => {
    try {
      await tell(path, body);
      setError(null);
      return true;
    } catch (reason) {
      setError(asDeskError(reason));
      return false;
    }
  }, []);
  const change = useCallback((runs: readonly number[], what: RunChange) => attempt("/api/runs/change", { runs, ...what }), [attempt]);
  const remove = useCallback(async (runs: readonly number[]) => {
    if (await attempt("/api/runs/remove", { runs })) go({ set: { removed: runList(runs), run: null, span: null }, replace: true });
  }, [attempt, go]);
  const restore = useCallback(async (runs: readonly number[]) => {
    if (await attempt("/api/runs/restore", { runs })) go({ set: { removed: null }, replace: true });
  }, [attempt, go]);
  return { error, removed, change, remove, restore };
}
export type Changes = ReturnType<typeof useChanges>;
