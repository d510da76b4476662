import { useMemo, useState } from "react";
import { Button, Input, Label, SearchField } from "react-aria-components";
import { Problem } from "../parts/problem.tsx";
import { Trace } from "../parts/trace.tsx";
import { useAsked } from "../parts/use_asked.ts";
import type { FaceAnswer, Reading, ReadingList as Readings } from "../wire/types.ts";
import type { FaceState } from "./use_face.ts";

/** The parts that show each reading. */
function shownIn(face: FaceAnswer | null): Map<string, string[]> {
  const parts = new Map<string, string[]>();
  const add = (reading: string, part: string) => { parts.set(reading, [...(parts.get(reading) ?? []), part]); };
  for (const row of face?.parts?.rows ?? []) for (const cell of row.cells) add(cell.reading, cell.part);
  for (const pin of face?.parts?.pins ?? []) if (pin.reading) add(pin.reading, pin.part);
  return parts;
}

function byDevice(readings: Reading[]): [string, Reading[]][] {
  const devices = new Map<string, Reading[]>();
  for (const one of readings) devices.set(one.device, [...(devices.get(one.device) ?? []), one]);
  return [...devices];
}

/** The label of the last row that has something of the same kind of device. */
function rowFor(reading: Reading, face: FaceAnswer | null): string | null {
  const kind = reading.id.split(".")[0];
  const row = [...(face?.parts?.rows ?? [])].reverse().find((one) => one.label !== "" && one.cells.some((cell) => cell.reading.split(".")[0] === kind));
  return row?.part ?? null;
}

export function ReadingList({ state, onSelect }: { state: FaceState; onSelect: (part: string) => void }) {
  const [words, setWords] = useState("");
  const { answer, error } = useAsked<Readings>("/api/readings", { words }, 1000);
  const { face, change } = state;
  const shown = useMemo(() => shownIn(face), [face]);
  const readings = answer?.readings ?? [];

  const toggle = (reading: Reading) => {
    const part = shown.get(reading.id)?.at(-1);
    if (part !== undefined) return void change({ do: "remove", part });
    const row = rowFor(reading, face);
    return void change(row === null ? { do: "add", reading: reading.id } : { do: "add", reading: reading.id, row });
  };

  return (
    <div className="readings">
      <SearchField value={words} onChange={setWords}>
        <Label>Find a reading</Label>
        <Input placeholder="hot, vram, 1% low …" />
      </SearchField>
      <Problem error={error} />
      {answer && readings.length === 0 && <p className="quiet">Nothing here is called that. Try another word, like “heat” or “memory”.</p>}
      <div className="scrolls">
        {byDevice(readings).map(([device, list]) => (
          <section key={device} aria-label={device}>
            <h3>{device}</h3>
            <ul>
              {list.map((one) => (
                <ReadingLine key={one.id} reading={one} isOn={shown.has(one.id)} canChange={face?.is_own ?? false}
                  onToggle={() => { toggle(one); }} onShow={() => { onSelect(shown.get(one.id)?.[0] ?? "face"); }} />
              ))}
            </ul>
          </section>
        ))}
      </div>
    </div>
  );
}

interface LineProps {
  reading: Reading;
  isOn: boolean;
  canChange: boolean;
  onToggle: () => void;
  onShow: () => void;
}

function ReadingLine({ reading, isOn, canChange, onToggle, onShow }: LineProps) {
  return (
    <li className={reading.missing === undefined ? "reading" : "reading missing"} title={reading.missing ?? reading.id}>
      <Button className={`switch kind-${reading.kind}`} isDisabled={!canChange} aria-pressed={isOn} onPress={onToggle}
        aria-label={isOn ? `Take ${reading.title} off the overlay` : `Put ${reading.title} on the overlay`} />
      <Button className="name" isDisabled={!isOn} onPress={onShow}>{reading.title}</Button>
      {reading.missing === undefined
        ? <><Trace values={reading.recent} kind={reading.kind} /><span className="value">{reading.words}</span></>
        : <span className="why">{reading.missing}</span>}
    </li>
  );
}
