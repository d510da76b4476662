import type { RunFigures, RunLine } from "../wire/types.ts";
import { Figure } from "./figure.tsx";
import { lengthWords, shortWords, whenWords } from "./words.ts";

interface Props {
  run: RunLine;
  figures: RunFigures["runs"][number] | undefined;
  isPicked: boolean;
  /** Whether Tab goes to what is in it. */
  isActive: boolean;
  onPick: () => void;
  onFilter: (set: Record<string, string>) => void;
  onEdit: () => void;
}

/** The cells of a run in the list. */
export function RunRow({ run, figures, isPicked, isActive, onPick, onFilter, onEdit }: Props) {
  const valueOf = (id: string) => figures?.figures.find((one) => one.id === id);
  const doubts = figures?.doubts ?? [], low = valueOf("frame.low@1%"), lost = valueOf("stutter.lost");
  const filterButton = (word: string, set: Record<string, string>) => (
    <button type="button" key={word} className="word" tabIndex={isActive ? 0 : -1} aria-label={`Only runs with ${word}`} onClick={() => { onFilter(set); }}>{shortWords(word)}</button>
  );
  return (
    <>
      <span role="gridcell"><input type="checkbox" checked={isPicked} onChange={onPick} tabIndex={isActive ? 0 : -1} aria-label={`Choose run ${run.run}`} /></span>
      <span role="gridcell" className="number">{run.run}</span>
      <span role="gridcell" className="game-name">{shortWords(run.game) || "no name"}</span>
      <span role="gridcell">{whenWords(run.started)}</span>
      <span role="gridcell" className="number">{lengthWords(run.length_s)}</span>
      <span role="gridcell" className="number"><Figure value={run.average_fps} /></span>
      <span role="gridcell" className="number"><Figure value={low?.value} mark={low?.of_too_few_frames ?? false} /></span>
      <span role="gridcell" className="number"><Figure value={lost?.value} digits={2} /></span>
      <span role="gridcell" title={doubts.map((one) => one.text).join("\n")}>
        {doubts.length > 0 && <span className="doubt-mark" role="img" aria-label={doubts.map((one) => one.text).join("; ")}>{"!".repeat(Math.min(3, doubts.length))}</span>}
      </span>
      <span role="gridcell" className="words">
        {run.problem && <span className="problem">{run.problem}</span>}
        {!run.finished && !run.problem && <span className="quiet">not finished </span>}
        {Object.entries(run.settings).map(([name, value]) => filterButton(`${name} ${value}`, { setting: `${name}=${value}` }))}
        {run.tags.map((tag) => filterButton(tag, { tag }))}
        <span className="quiet">{shortWords(run.note)}</span>
      </span>
      <span role="gridcell"><button type="button" className="word edit" tabIndex={isActive ? 0 : -1} aria-label={`Edit tags and note of run ${run.run}`} onClick={onEdit}>…</button></span>
    </>
  );
}
