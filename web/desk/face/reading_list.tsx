import { startTransition, useEffect, useMemo, useState } from "react";
import { Button, GridList, GridListHeader, GridListItem, GridListSection, Input, Label, SearchField, type Key } from "react-aria-components";
import { byDevice } from "../parts/by_device.ts";
import { Problem } from "../parts/problem.tsx";
import { Trace } from "../parts/trace.tsx";
import { useAddress } from "../parts/use_address.ts";
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

/** The label of the last row that has something of the same kind of device. */
function rowFor(reading: Reading, face: FaceAnswer | null): string | null {
  const kind = reading.id.split(".")[0];
  const row = [...(face?.parts?.rows ?? [])].reverse().find((one) => one.label !== "" && one.cells.some((cell) => cell.reading.split(".")[0] === kind));
  return row?.part ?? null;
}

/** As many as a screen shows; the others come when the page has been seen, because each takes its time. */
const firstLines = 24;

function useIsSeen(): boolean {
  const [isSeen, setSeen] = useState(false);
  useEffect(() => {
    const timer = window.setTimeout(() => { startTransition(() => { setSeen(true); }); }, 50);
    return () => { window.clearTimeout(timer); };
  }, []);
  return isSeen;
}

export function ReadingList({ state, onSelect }: { state: FaceState; onSelect: (part: string) => void }) {
  const { parameters, go } = useAddress();
  const words = parameters.get("find") ?? "";
  const setWords = (find: string) => { go({ set: { find: find || null }, replace: true }); };
  const { answer, error } = useAsked<Readings>("/api/readings", { words }, 1000);
  const { face, change } = state;
  const isSeen = useIsSeen();
  const shown = useMemo(() => shownIn(face), [face]);
  const readings = answer?.readings ?? [];

  /** The reading that was pressed is the one in which the list differs from the overlay. */
  const onSelection = (selected: "all" | Set<Key>) => {
    if (selected === "all") return;
    for (const reading of readings) {
      const part = shown.get(reading.id)?.at(-1), row = rowFor(reading, face);
      if (selected.has(reading.id) === (part !== undefined)) continue;
      if (part !== undefined) void change({ do: "remove", part });
      else void change(row === null ? { do: "add", reading: reading.id } : { do: "add", reading: reading.id, row });
    }
  };

  return (
    <div className="readings">
      <SearchField value={words} onChange={setWords}>
        <Label>Find a reading</Label>
        <Input placeholder="hot, vram, 1% low …" />
      </SearchField>
      <Problem error={error} />
      {answer && readings.length === 0 && <p className="quiet">Nothing here is called that. Try another word, like “heat” or “memory”.</p>}
      <GridList className="scrolls" aria-label="Readings; those on the overlay are selected" selectionMode={face?.is_own ? "multiple" : "none"}
        selectedKeys={[...shown.keys()]} onSelectionChange={onSelection} escapeKeyBehavior="none">
        {byDevice(isSeen ? readings : readings.slice(0, firstLines)).map(([device, list]) => (
          <GridListSection key={device} id={device}>
            <GridListHeader className="device">{device}</GridListHeader>
            {list.map((one) => <ReadingLine key={one.id} reading={one} part={shown.get(one.id)?.[0]} onSelect={onSelect} />)}
          </GridListSection>
        ))}
      </GridList>
    </div>
  );
}

interface LineProps {
  reading: Reading;
  /** That shows it. */
  part: string | undefined;
  onSelect: (part: string) => void;
}

function ReadingLine({ reading, part, onSelect }: LineProps) {
  return (
    <GridListItem id={reading.id} textValue={reading.title} className={reading.missing === undefined ? "reading" : "reading missing"}>
      <span className={`switch kind-${reading.kind}`} data-on={part === undefined ? undefined : ""} aria-hidden="true" />
      <span className="name">{reading.title}</span>
      {part !== undefined && <Button className="link" aria-label={`Edit ${reading.title}`} onPress={() => { onSelect(part); }}>edit</Button>}
      {reading.missing === undefined
        ? <><Trace values={reading.recent} kind={reading.kind} /><span className="value">{reading.words}</span></>
        : <span className="why">{reading.missing}</span>}
    </GridListItem>
  );
}
