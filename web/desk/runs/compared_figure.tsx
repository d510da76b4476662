import { Button } from "react-aria-components";
import { Term, definitionOf } from "../parts/term.tsx";
import type { ComparisonView } from "../wire/types.ts";
import { Figure } from "./figure.tsx";

type Compared = ComparisonView["comparison"]["figures"][number];

interface Props {
  figure: Compared;
  words: ComparisonView["words"][number];
  onRun: (run: number) => void;
}

const inkOf = ["--processor", "--graphics", "--memory", "--disk", "--network", "--battery"];

/** A group's mean as a bar from 0, its interval, and each run as a dot. */
function Bar({ group, most, place }: { group: Compared["groups"][number]; most: number; place: number }) {
  const at = (value: number) => Math.min(100, Math.max(0, (100 * value) / most));
  const [low, high] = group.interval ?? [];
  return (
    <svg className="bar" viewBox="0 0 100 20" preserveAspectRatio="none" aria-hidden="true">
      {group.mean !== null && <rect x="0" y="4" width={at(group.mean)} height="12" style={{ fill: `var(${inkOf[place % inkOf.length] ?? "--soft"})` }} />}
      {low !== undefined && high !== undefined && <path d={`M${at(low)} 10H${at(high)}M${at(low)} 5v10M${at(high)} 5v10`} vectorEffect="non-scaling-stroke" />}
    </svg>
  );
}

export function ComparedFigure({ figure, words, onRun }: Props) {
  const most = Math.max(...figure.groups.flatMap((group) => [group.mean ?? 0, group.interval?.[1] ?? 0]), 1e-9);
  const digits = figure.unit === "FPS" ? 1 : 2;
  return (
    <table className="lab compared">
      <caption><Term name={`${figure.title}${figure.unit && `, ${figure.unit}`}`} of={definitionOf(figure.id)} /></caption>
      <thead><tr>{["Group", "Runs", "Mean and its interval", "Mean ± spread", "Difference", "Interval", "Verdict"].map((one) => <th key={one} scope="col">{one}</th>)}</tr></thead>
      <tbody>
        {figure.groups.map((group, i) => (
          <tr key={group.group}>
            <th scope="row">{group.group}</th>
            <td>{group.runs.map((run) => (
              <Button key={run} className={group.odd_runs.includes(run) ? "word odd" : "word"} aria-label={`Open run ${run}${group.odd_runs.includes(run) ? ", the odd one out" : ""}`}
                onPress={() => { onRun(run); }}>{run}</Button>
            ))}</td>
            <td className="bar-cell"><Bar group={group} most={most} place={i} /></td>
            <td className="number"><span className="only-read"><Figure value={group.mean} digits={digits} /></span><span aria-hidden="true">{words[i]?.mean}</span></td>
            <td className="number">{words[i]?.difference}</td>
            <td className="number">{words[i]?.interval}</td>
            <td>{words[i]?.verdict}{figure.best === group.group && <b>, best</b>}{figure.worst === group.group && ", worst"}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
