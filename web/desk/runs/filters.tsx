import { memo } from "react";
import { Button, Input, Label, SearchField } from "react-aria-components";
import { Choice } from "../parts/choice.tsx";
import type { RunList } from "../wire/types.ts";
import { useFilter } from "./use_runs.ts";

const any = "any";

/** The beginning of a day here, some days ago, in UTC: as the desk compares times. */
function daysAgo(days: number): string {
  const day = new Date();
  day.setHours(0, 0, 0, 0);
  day.setDate(day.getDate() - days);
  return `${day.toISOString().slice(0, 19)}Z`;
}
const times = { [any]: null, today: 0, "the last 7 days": 7, "the last 30 days": 30 } as const;

export const Filters = memo(function Filters({ list }: { list: RunList | null }) {
  const { filter, go } = useFilter();
  const set = (name: string, value: string | null) => { go({ set: { [name]: value === "" || value === any ? null : value }, replace: true }); };
  const time = Object.entries(times).find(([, days]) => days !== null && daysAgo(days) === filter.since)?.[0] ?? any;
  const choice = (label: string, name: string, value: string | undefined, choices: readonly string[]) =>
    choices.length > 0 && <Choice label={label} value={value ?? any} choices={[...new Set([any, ...(value ? [value] : []), ...choices])]} onChange={(next) => { set(name, next); }} />;
  const isOn = filter.text !== "" || filter.game !== "" || filter.since !== "" || filter.tags.length + filter.settings.length > 0;
  return (
    <div className="filters">
      <SearchField value={filter.text} onChange={(text) => { set("text", text); }}>
        <Label>Find a run</Label><Input placeholder="game, note, tag, setting" />
      </SearchField>
      {choice("Game", "of", filter.game || undefined, (list?.choices.games ?? []).filter((game) => game !== ""))}
      {choice("Setting", "setting", filter.settings[0], list?.choices.settings ?? [])}
      {choice("Tag", "tag", filter.tags[0], list?.choices.tags ?? [])}
      <Choice label="Recorded" value={time} choices={Object.keys(times)} onChange={(word) => {
        const days = times[word as keyof typeof times];
        set("since", days === null ? null : daysAgo(days));
      }} />
      {isOn && <Button onPress={() => { go({ set: { text: null, of: null, setting: null, tag: null, since: null }, replace: true }); }}>All runs</Button>}
      <span className="quiet" role="status">{list && (list.total === list.all ? `${list.all} runs` : `${list.total} of ${list.all} runs`)}</span>
    </div>
  );
});
