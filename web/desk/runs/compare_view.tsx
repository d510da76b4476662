import { Button } from "react-aria-components";
import { Choice } from "../parts/choice.tsx";
import { Problem } from "../parts/problem.tsx";
import { useAddress } from "../parts/use_address.ts";
import { useAsked } from "../parts/use_asked.ts";
import type { ComparisonView } from "../wire/types.ts";
import { ComparedFigure } from "./compared_figure.tsx";
import { Groups } from "./groups.tsx";
import { groupList } from "./run_numbers.ts";
import { look, useSave } from "./save.ts";

const hand = "by hand";

/** Groups of runs against each other: the sentence first, then bars and tables, then what else differs. */
export function CompareView({ groups }: { groups: number[][] }) {
  const { parameters, go } = useAddress();
  const by = parameters.get("by") ?? "", base = parameters.get("base") ?? "", list = groupList(groups);
  const { answer: view, error } = useAsked<ComparisonView>("/api/compare", { groups: list, by, base }, 5000);
  const { save, error: unsaved, isBusy } = useSave();
  const keep = (as: string) => void save({ as, groups: list, by, base, look: look() });
  const back = () => { go({ set: { groups: null, by: null, base: null } }); };
  const names = view?.comparison.groups ?? [];
  const made = by === "" ? groups : view?.comparison.figures[0]?.groups.map((group) => group.runs) ?? [];
  return (
    <div className="one-run">
      <header>
        <Button onPress={back}>All runs</Button>
        <h2 className="large">{names.length > 1 ? names.join(" against ") : "Compare"}</h2>
        <span className="buttons">
          {["report", "picture", "markdown", "csv"].map((as) => <Button key={as} isDisabled={isBusy || names.length < 2} onPress={() => { keep(as); }}>{({ report: "Report", picture: "Picture", markdown: "Markdown", csv: "CSV" })[as]}</Button>)}
        </span>
      </header>
      <Problem error={error ?? unsaved} />
      {view && names.length < 2 && (
        <p>Put the runs into two groups or more: {view.offers.map((one) => <Button key={one} className="primary" onPress={() => { go({ set: { by: one }, replace: true }); }}>by {one}</Button>)} or by dragging them.</p>
      )}
      <ul className="sentences">{view?.sentences.map((one) => <li key={one}>{one}.</li>)}</ul>
      <div className="orders">
        {view && names.length > 1 && view.offers.length > 0 && <Choice label="Compare by" value={by || hand} choices={[hand, ...view.offers]} onChange={(next) => { go({ set: { by: next === hand ? null : next, base: null }, replace: true }); }} />}
        {names.length > 1 && <Choice label="Against" value={view?.comparison.base ?? ""} choices={names} onChange={(next) => { go({ set: { base: next }, replace: true }); }} />}
      </div>
      <Groups groups={made} names={names} onChange={(next) => { go({ set: { groups: groupList(next), by: null, base: null }, replace: true }); }} />
      {view && view.comparison.groups.length > 1 && view.comparison.figures.map((figure, i) => (
        <ComparedFigure key={figure.id} figure={figure} words={view.words[i] ?? []} onRun={(run) => { go({ set: { run: String(run) } }); }} />
      ))}
      <ul className="findings">{(names.length > 1 ? [...(view?.odd ?? []), ...(view?.doubts ?? [])] : []).map((one) => <li key={one}>{one}</li>)}</ul>
      {view && names.length > 1 && view.comparison.other_differences.length > 0 && (
        <table className="lab">
          <caption>What else differs</caption>
          <thead><tr><th scope="col">What</th>{names.map((name) => <th key={name} scope="col">{name}</th>)}</tr></thead>
          <tbody>{view.comparison.other_differences.map((one) => <tr key={one.what}><th scope="row">{one.what}</th>{one.values.map((value, i) => <td key={names[i]}>{value}</td>)}</tr>)}</tbody>
        </table>
      )}
      {view && <p className="quiet">{view.definition}</p>}
    </div>
  );
}
