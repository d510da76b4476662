import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import { Term } from "../parts/term.tsx";
import type { RunLine } from "../wire/types.ts";
import { RowEditor } from "./row_editor.tsx";
import { RunRow } from "./run_row.tsx";
import { block, useFilter, type RunChange, type useRuns } from "./use_runs.ts";

interface Props {
  runs: ReturnType<typeof useRuns>;
  picked: readonly number[];
  onPick: (picked: number[]) => void;
  onOpen: (run: number) => void;
  onRemove: (run: number) => void;
  onChange: (run: number, what: RunChange) => void;
  onFirst: (first: number) => void;
}

const columns = [
  ["", ""], ["Run", "number"], ["Game", "game"], ["When", "started"], ["Length", "length"], ["Average", "average"], ["1% low", ""], ["Lost, s", ""], ["Doubts", ""],
  ["Settings, tags, note", ""], ["Edit", ""],
] as const;
const unseen = ["", "Edit"];  // headings for screen readers alone
const meaning: Record<string, string> = { "1% low": "1% low, 0.1% low", "Lost, s": "Stutter" };
const heightOf = () => (matchMedia("(pointer: coarse)").matches ? 44 : 34);

/** All runs that pass the filter: only those that are seen are in the page. */
export function RunTable({ runs: { list, figures }, picked, onPick, onOpen, onRemove, onChange, onFirst }: Props) {
  const { filter, order, isRising, go } = useFilter();
  const body = useRef<HTMLDivElement>(null), wantsFocus = useRef(false);
  const [top, setTop] = useState(0), [room, setRoom] = useState(600), [active, setActive] = useState(0), [edited, setEdited] = useState<number | null>(null);
  const height = heightOf(), total = list?.total ?? 0, from = list?.from ?? 0;
  const first = Math.max(0, Math.floor(top / height) - 4), count = Math.ceil(room / height) + 8;
  const firstBlock = Math.floor(first / block) * block;
  useEffect(() => { onFirst(firstBlock); }, [firstBlock, onFirst]);
  useEffect(() => {
    const element = body.current;
    if (!element) return;
    const observer = new ResizeObserver(() => { setRoom(element.clientHeight); });
    observer.observe(element);
    return () => { observer.disconnect(); };
  }, []);
  useEffect(() => {
    body.current?.scrollTo({ top: 0 });
    setActive(0);
  }, [filter, order, isRising]);
  useEffect(() => {  // the row that the keys have reached, once it is there
    const row = body.current?.querySelector<HTMLElement>(`[data-place="${active}"]`);
    if (!row || !wantsFocus.current) return;
    wantsFocus.current = false;
    row.focus({ preventScroll: true });
  });
  const toggle = (run: number) => { onPick(picked.includes(run) ? picked.filter((one) => one !== run) : [...picked, run].sort((a, b) => a - b)); };
  const reach = (place: number) => {
    const next = Math.max(0, Math.min(total - 1, place)), element = body.current;
    setActive(next);
    wantsFocus.current = true;
    if (!element) return;
    if (next * height < element.scrollTop) element.scrollTop = next * height;
    if ((next + 1) * height > element.scrollTop + element.clientHeight) element.scrollTop = (next + 1) * height - element.clientHeight;
  };
  const onKeyDown = (event: KeyboardEvent, run: RunLine) => {
    if (event.target !== event.currentTarget) return;
    const page = Math.max(1, Math.floor(room / height) - 1);
    const places: Record<string, number> = { ArrowDown: active + 1, ArrowUp: active - 1, PageDown: active + page, PageUp: active - page, Home: 0, End: total - 1 };
    const place = places[event.key];
    if (place !== undefined) reach(place);
    else if (event.key === " ") toggle(run.run);
    else if (event.key === "Enter") onOpen(run.run);
    else if (event.key === "Delete") onRemove(run.run);
    else if (event.key === "F2") setEdited(run.run);
    else return;
    event.preventDefault();
  };
  const sortBy = (key: string) => { go({ set: { order: key, rising: order === key && !isRising ? "" : null }, replace: true }); };
  const shown = (list?.runs ?? []).map((run, i) => ({ run, place: from + i })).filter(({ place }) => place >= first && place < first + count);

  return (
    <div className="run-table" role="grid" aria-label="Runs" aria-rowcount={total + 1} aria-multiselectable="true">
      <div className="run-row head" role="row" aria-rowindex={1}>
        {columns.map(([name, key]) => (
          <span key={name} role="columnheader" aria-sort={key === order && key !== "" ? (isRising ? "ascending" : "descending") : undefined}>
            {key === "" ? (unseen.includes(name) ? <span className="only-read">{name || "Choose"}</span> : <Term name={name} of={meaning[name] ?? ""} />)
              : <button type="button" className="sort" onClick={() => { sortBy(key); }}>{name}{key === order && (isRising ? " ↑" : " ↓")}</button>}
          </span>
        ))}
      </div>
      <div className="run-rows" role="rowgroup" ref={body} onScroll={(event) => { setTop(event.currentTarget.scrollTop); }}>
        <div style={{ height: total * height }} role="presentation">
          {shown.map(({ run, place }) => (
            <div key={run.run} role="row" className="run-row" aria-rowindex={place + 2} aria-selected={picked.includes(run.run)} data-place={place} tabIndex={place === active ? 0 : -1}
              style={{ top: place * height, height }} onFocus={() => { setActive(place); }} onKeyDown={(event) => { onKeyDown(event, run); }}
              onClick={(event) => { if (!(event.target as Element).closest("input, button")) onOpen(run.run); }}>
              {edited === run.run
                ? <RowEditor run={run} onChange={(what) => { onChange(run.run, what); }} onClose={() => { setEdited(null); wantsFocus.current = true; }} />
                : <RunRow run={run} figures={figures.get(run.run)} isPicked={picked.includes(run.run)} isActive={place === active} onPick={() => { toggle(run.run); }}
                onFilter={(set) => { go({ set, replace: true }); }} onEdit={() => { setEdited(run.run); }} />}
            </div>
          ))}
        </div>
      </div>
    </div>
  );
}
