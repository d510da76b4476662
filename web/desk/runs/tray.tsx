import { Button } from "react-aria-components";
import { AskName } from "../parts/ask_name.tsx";
import { Problem } from "../parts/problem.tsx";
import { useAddress } from "../parts/use_address.ts";
import { runList } from "./run_numbers.ts";
import { look, useSave } from "./save.ts";
import type { Changes } from "./use_runs.ts";

interface Props {
  picked: readonly number[];
  changes: Changes;
  onPick: (picked: number[]) => void;
}

/** What can be done with the runs that are chosen. */
export function Tray({ picked, changes, onPick }: Props) {
  const { go } = useAddress();
  const { save, error, isBusy } = useSave();
  const groups = runList(picked), what = picked.length === 1 ? `Run ${groups}` : `Runs ${groups}`;
  const compare = () => { go({ set: { groups, pick: null } }); };
  return (
    <section className="tray" aria-label="The chosen runs">
      <b>{what}</b>
      {picked.length > 1 && <Button className="primary" onPress={compare}>Compare</Button>}
      <Button isDisabled={isBusy} onPress={() => void save({ as: "report", groups })}>Report</Button>
      <Button isDisabled={isBusy || picked.length > 6} onPress={() => void save({ as: "picture", kind: "time", groups, look: look() })}>Picture</Button>
      <Button isDisabled={isBusy} onPress={() => void save({ as: "results", groups })}>Results (CSV)</Button>
      <Button isDisabled={isBusy} onPress={() => void save({ as: "runs", groups })}>Run file</Button>
      <AskName button="Tag …" label="A tag for all of them" usual="" onName={(tag) => changes.change(picked, { tags: [tag] })} />
      <AskName button="Setting …" label="What was tried, like Preset=High" usual="" onName={(setting) => changes.change(picked, { settings: [setting] })} />
      <Button onPress={() => { void changes.remove(picked); onPick([]); }}>Remove</Button>
      <Button onPress={() => { onPick([]); }}>None</Button>
      {isBusy && <span className="quiet" role="status">One moment …</span>}
      <Problem error={error} />
    </section>
  );
}
