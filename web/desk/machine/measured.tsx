import { useState } from "react";
import { Input, Label, SearchField, ToggleButton } from "react-aria-components";
import { byDevice } from "../parts/by_device.ts";
import { Problem } from "../parts/problem.tsx";
import { Trace } from "../parts/trace.tsx";
import { useAsked } from "../parts/use_asked.ts";
import type { ReadingList } from "../wire/types.ts";

/** What this machine measures, with a minute of each, and what it doesn't and why. */
export function Measured() {
  const [words, setWords] = useState(""), [isMissing, setMissing] = useState(false);
  const { answer, error } = useAsked<ReadingList>("/api/readings", { words }, 1000);
  const readings = answer?.readings ?? [], missing = readings.filter((one) => one.missing !== undefined);
  const shown = isMissing ? missing : readings.filter((one) => one.missing === undefined);
  return (
    <section className="measured" aria-label="What is measured">
      <h2 className="only-read">What is measured</h2>
      <div className="orders">
        <SearchField value={words} onChange={setWords}><Label>Find a reading</Label><Input placeholder="hot, vram, clock …" /></SearchField>
        <ToggleButton isSelected={isMissing} onChange={setMissing}>{missing.length} missing</ToggleButton>
      </div>
      <Problem error={error} />
      {answer && shown.length === 0 && <p className="quiet">{isMissing ? "Nothing is missing here." : "Nothing here is called that."}</p>}
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex -- what scrolls has to be reached by keys */}
      <div className="scrolls" tabIndex={0} role="region" aria-label="Readings by device">
        {byDevice(shown).map(([device, list]) => (
          <section key={device} aria-label={device}>
            <h3>{device}</h3>
            <ul>
              {list.map((one) => (
                <li key={one.id} className={isMissing ? "reading missing" : "reading"} title={one.id}>
                  <span className="name">{one.title}</span>
                  {isMissing ? <span className="why">{one.missing}</span> : <><Trace values={one.recent} kind={one.kind} /><span className="value">{one.words}</span></>}
                </li>
              ))}
            </ul>
          </section>
        ))}
      </div>
    </section>
  );
}
