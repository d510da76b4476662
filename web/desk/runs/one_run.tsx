import { useCallback, useMemo, useState } from "react";
import { Button, Disclosure, DisclosurePanel, Heading } from "react-aria-components";
import { Choice } from "../parts/choice.tsx";
import { Problem } from "../parts/problem.tsx";
import { Term } from "../parts/term.tsx";
import { useAddress } from "../parts/use_address.ts";
import { useAsked } from "../parts/use_asked.ts";
import type { RunDetails, RunView } from "../wire/types.ts";
import { Notes } from "./notes.tsx";
import { Quoted } from "./quoted.tsx";
import { RunPlot, type Span } from "./run_plot.tsx";
import { look, useSave } from "./save.ts";
import { useChanges } from "./use_runs.ts";
import { lengthWords, shortWords, whenWords } from "./words.ts";

const usual = ["gpu.load", "cpu.load", "gpu.temp"];
const around = 2;  // seconds on each side of a hitch

function useSpan(): [Span | null, (span: Span | null) => void] {
  const { parameters, go } = useAddress();
  const text = parameters.get("span");
  const span = useMemo(() => {
    const found = /^(\d+(?:\.\d+)?)-(\d+(?:\.\d+)?)$/.exec(text ?? "");
    const from = Number(found?.[1]), to = Number(found?.[2]);
    return found && to > from ? { from, to } : null;
  }, [text]);
  const set = useCallback((next: Span | null) => { go({ set: { span: next && `${next.from.toFixed(3)}-${next.to.toFixed(3)}` }, replace: true }); }, [go]);
  return [span, set];
}

/** One run on a screen. */
export function OneRun({ run }: { run: number }) {
  const { parameters, go } = useAddress();
  const [version, setVersion] = useState(0), [span, setSpan] = useSpan();
  const changes = useChanges(), { save, error: unsaved, isBusy } = useSave();
  const leaveOut = parameters.get("leave-out") ?? "";
  const { answer: view, error } = useAsked<RunView>("/api/run", { run, "leave-out": leaveOut, version }, 5000);
  const { answer: details } = useAsked<RunDetails>("/api/run/details", { run, "leave-out": leaveOut });
  const shown = parameters.get("readings"), readings = useMemo(() => shown?.split(",") ?? usual, [shown]);
  const back = () => { go({ set: { run: null, span: null, readings: null } }); };
  if (!view) return <div className="one-run"><Button onPress={back}>All runs</Button>{error ? <Problem error={error} /> : <p className="quiet">One moment …</p>}</div>;
  const { insight, words, doubts } = view, groups = String(run);
  const more = view.readings.filter((one) => !readings.includes(one.id));
  const lines = [["stutters", "Stutter"], ["limit", "Limited by"], ["heat", ""], ["clocks", ""], ["power", ""], ["marks", ""]] as const;
  return (
    <div className="one-run">
      <header>
        <Button onPress={back}>All runs</Button>
        <h2 className="large">Run {run}: {shortWords(insight.game) || "no name"}</h2>
        <span className="quiet">{whenWords(insight.started)}, {lengthWords(insight.length_s)}, {insight.frames} frames</span>
        <span className="buttons">
          <Button isDisabled={isBusy} onPress={() => void save({ as: "report", groups })}>Report</Button>
          <Button isDisabled={isBusy} onPress={() => void save({ as: "picture", kind: "time", groups, look: look() })}>Picture</Button>
          <Button isDisabled={isBusy} onPress={() => void save({ as: "frames", groups })}>Frames (CSV)</Button>
          <Button isDisabled={isBusy} onPress={() => void save({ as: "runs", groups })}>Run file</Button>
          <Button onPress={() => void changes.remove([run])}>Remove</Button>
        </span>
      </header>
      <Problem error={error ?? changes.error ?? unsaved} />
      <Quoted insight={insight} details={details} />
      <Notes key={insight.note} insight={insight} changes={changes} onChange={() => { setVersion((count) => count + 1); }} />
      {doubts.length > 0 && (
        <ul className="findings doubts" aria-label="Reasons to doubt it">
          {doubts.map((one) => <li key={one.rule}><b>{one.text}.</b> {one.advice}
            {one.rule === "loading" && <Button className="fix" onPress={() => { go({ set: { "leave-out": "loading" }, replace: true }); }}>Leave them out</Button>}</li>)}
        </ul>
      )}
      {leaveOut && <p className="quiet">Loading screens are left out. <Button className="fix" onPress={() => { go({ set: { "leave-out": null }, replace: true }); }}>Count them</Button></p>}
      <div className="run-middle">
        <RunPlot run={run} span={span} readings={readings} marks={insight.marks ?? []} onSpan={setSpan} />
        <aside aria-label="Hitches">
          <h3>The worst hitches</h3>
          {details?.hitches.length === 0 && <p className="quiet">none</p>}
          <ul className="hitches">
            {details?.hitches.map((one) => (
              <li key={one.begin_s}>
                <Button className="link" onPress={() => { setSpan({ from: Math.max(0, one.begin_s - around), to: one.begin_s + around }); }}>{one.at}</Button>
                {" "}{one.worst_ms.toFixed(1)} ms <span className="quiet">{one.words}</span>
              </li>
            ))}
          </ul>
          {more.length > 0 && <Choice label="Another reading" value="" choices={more.map((one) => one.id)} nameOf={(id) => more.find((one) => one.id === id)?.title ?? "choose"}
            onChange={(id) => { go({ set: { readings: [...readings, id].join(",") }, replace: true }); }} />}
        </aside>
      </div>
      <dl className="run-words">
        {lines.map(([name, of]) => words[name] && <div key={name}><dt><Term name={name} of={of} /></dt><dd>{words[name]}</dd></div>)}
      </dl>
      {details && details.changes.length > 0 && <><h3>What changed</h3><ul className="hitches">{details.changes.map((one) => <li key={one.at_s}>{one.words}</li>)}</ul></>}
      <Disclosure>
        <Heading level={3}><Button slot="trigger" className="more">The machine</Button></Heading>
        <DisclosurePanel><dl className="run-words">{Object.entries(insight.facts).map(([name, value]) => <div key={name}><dt>{name}</dt><dd>{value}</dd></div>)}</dl></DisclosurePanel>
      </Disclosure>
    </div>
  );
}
