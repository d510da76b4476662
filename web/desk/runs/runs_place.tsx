import { useCallback, useState } from "react";
import { Button } from "react-aria-components";
import { Problem } from "../parts/problem.tsx";
import { useAddress } from "../parts/use_address.ts";
import { AddFiles } from "./add_files.tsx";
import { CompareView } from "./compare_view.tsx";
import { Filters } from "./filters.tsx";
import { OneRun } from "./one_run.tsx";
import { groupsIn, runList, runsIn } from "./run_numbers.ts";
import { RunTable } from "./run_table.tsx";
import { Tray } from "./tray.tsx";
import { useChanges, useRuns, type Changes } from "./use_runs.ts";

function NoRuns() {
  const { go } = useAddress();
  return (
    <section className="empty">
      <h2 className="large">No runs yet</h2>
      <p>A recording that ends is a line here, with its average, its lows and what is doubtful about them.</p>
      <p><Button className="primary" onPress={() => { go({ path: "/live" }); }}>Record one</Button></p>
      <p className="quiet">A store, a run file or another program’s table of frame times can be dropped here, too.</p>
    </section>
  );
}

function Undo({ changes }: { changes: Changes }) {
  const { removed, restore } = changes;
  if (removed.length === 0) return null;
  return <p className="undo" role="status">{removed.length === 1 ? "Run" : "Runs"} {runList(removed)} removed. <Button onPress={() => void restore(removed)}>Bring back</Button></p>;
}

function RunsList() {
  const { parameters, go } = useAddress();
  const [first, setFirst] = useState(0);
  const runs = useRuns(first), changes = useChanges();
  const picked = runsIn(parameters.get("pick"));
  const onFirst = useCallback((next: number) => { setFirst(next); }, []);
  const pick = (next: number[]) => { go({ set: { pick: next.length > 0 ? runList(next) : null }, replace: true }); };
  return (
    <div className="runs-place">
      <Filters list={runs.list} />
      <Problem error={runs.error ?? changes.error} />
      <Undo changes={changes} />
      {runs.list?.all === 0
        ? <NoRuns />
        : <RunTable runs={runs} picked={picked} onPick={pick} onFirst={onFirst} onOpen={(run) => { go({ set: { run: String(run) } }); }} onRemove={(run) => void changes.remove([run])} onChange={(run, what) => void changes.change([run], what)} />}
      {picked.length > 0 && <Tray picked={picked} changes={changes} onPick={pick} />}
      <AddFiles />
    </div>
  );
}

export function RunsPlace() {
  const { parameters } = useAddress();
  const run = runsIn(parameters.get("run"))[0], groups = groupsIn(parameters.get("groups"));
  if (run !== undefined) return <OneRun key={run} run={run} />;
  if (groups.length > 0) return <CompareView groups={groups} />;
  return <RunsList />;
}
