// What can be done by typing.
import { useMemo } from "react";
import { useLive } from "../live/live_provider.tsx";
import { useTell } from "../live/use_tell.ts";
import { places } from "../parts/rail.tsx";
import { useAddress } from "../parts/use_address.ts";
import { useAsked } from "../parts/use_asked.ts";
import type { FaceList, ReadingList, RunList, SettingsAnswer } from "../wire/types.ts";

export interface Action {
  id: string;
  name: string;
  /** What else people call it. */
  words: string;
  key: string;
  /** That does the same in a terminal. */
  command: string;
  run: () => void;
}

const most = 8;  // of each kind

const fits = (action: Action, asked: string) => {
  const text = `${action.name} ${action.words}`.toLowerCase();
  return asked.toLowerCase().split(/\s+/).every((word) => text.includes(word));
};

/** Actions, readings, faces, runs and settings that have what was typed. */
export function useActions(asked: string): Action[] {
  const { go } = useAddress();
  const { game } = useLive();
  const order = useTell();
  const isAsked = asked !== "";
  const { answer: faces } = useAsked<FaceList>("/api/faces", {});
  const { answer: readings } = useAsked<ReadingList>("/api/readings", isAsked ? { words: asked } : null);
  const number = /^(?:run )?(\d{1,9})$/.exec(asked)?.[1];
  const { answer: runs } = useAsked<RunList>("/api/runs", { filter: JSON.stringify(number ? { runs: number } : { text: asked }), from: 0, count: most });
  const { answer: settings } = useAsked<SettingsAnswer>("/api/settings", {});
  return useMemo(() => {
    const all: Action[] = places.map(({ path, name, key }) => ({
      id: path, name: `Go to ${name}`, words: { "/live": "game play record", "/face": "overlay design", "/runs": "benchmark results compare", "/machine": "readings settings sensors" }[path], key, command: "",
      run: () => { go({ path }); },
    }));
    if (game) {
      const isOn = game.recording !== null;
      all.push(
        { id: "record", name: isOn ? "Stop recording" : "Record a minute", words: "benchmark run start", key: "", command: isOn ? "idlemeter tell record stop" : "idlemeter tell record start --for 60",
          run: () => { void (isOn ? order.send(game, { do: "record", what: "stop" }) : order.record(game, { for: "60" })); go({ path: "/live" }); } },
        { id: "mark", name: "Set a mark", words: "moment", key: "", command: "idlemeter tell mark", run: () => void order.send(game, { do: "mark", text: "" }) },
        { id: "toggle", name: game.isVisible ? "Hide the overlay" : "Show the overlay", words: "toggle", key: "", command: "idlemeter tell toggle", run: () => void order.send(game, { do: "toggle" }) },
        { id: "clear", name: "Clear the figures", words: "reset statistics", key: "", command: "idlemeter tell clear", run: () => void order.send(game, { do: "clear" }) },
      );
    }
    for (const { name } of [...(faces?.faces ?? []), ...(faces?.starters ?? [])])
      all.push({ id: `face ${name}`, name: `Face ${name}`, words: "overlay open edit", key: "", command: `idlemeter face draw ${name}`, run: () => { go({ path: "/face", set: { face: name, part: null } }); } });
    for (const key of settings?.keys ?? []) {
      if (["game", "computed", "command", "feed"].includes(key.table)) continue;
      const name = key.table === "" ? key.name : `${key.table}.${key.name}`;
      all.push({ id: `setting ${name}`, name: `Setting ${name.replaceAll("_", " ")}`, words: key.words, key: "", command: `idlemeter settings set ${name} …`, run: () => { go({ path: "/machine" }); } });
    }
    const found = isAsked ? all.filter((action) => fits(action, asked)) : all.filter((action) => !action.id.startsWith("setting "));
    for (const one of isAsked ? (readings?.readings ?? []).slice(0, most) : [])
      found.push({ id: one.id, name: one.title, words: "", key: "", command: `idlemeter readings ${one.id}`, run: () => { go({ path: "/face", set: { find: one.title } }); } });
    for (const one of runs?.runs ?? [])
      found.push({ id: `run ${one.run}`, name: `Run ${one.run}: ${one.game || "no name"}`, words: "", key: "", command: `idlemeter runs show ${one.run}`, run: () => { go({ path: "/runs", set: { run: String(one.run), groups: null } }); } });
    return found.slice(0, 60);
  }, [asked, isAsked, faces, readings, runs, settings, game, go, order]);
}
