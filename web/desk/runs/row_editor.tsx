import { useState, type KeyboardEvent } from "react";
import type { RunLine } from "../wire/types.ts";
import type { RunChange } from "./use_runs.ts";

interface Props {
  run: RunLine;
  onChange: (what: RunChange) => void;
  onClose: () => void;
}

const listed = (text: string) => text.split(",").map((word) => word.trim()).filter((word) => word !== "");

/** A run's tags and note, in the list: Enter keeps them, Escape doesn't. */
export function RowEditor({ run, onChange, onClose }: Props) {
  const [tags, setTags] = useState(run.tags.join(", ")), [note, setNote] = useState(run.note);
  const keep = () => {
    const wanted = listed(tags);
    onChange({ note, tags: wanted.filter((tag) => !run.tags.includes(tag)), tags_to_drop: run.tags.filter((tag) => !wanted.includes(tag)) });
    onClose();
  };
  const onKeyDown = (event: KeyboardEvent) => { if (event.key === "Escape") onClose(); };
  return (
    <form className="row-editor" onSubmit={(event) => { event.preventDefault(); keep(); }}>
      <b>Run {run.run}</b>
      {/* What was pressed for. */}
      {/* eslint-disable-next-line jsx-a11y/no-autofocus */}
      <input autoFocus aria-label={`Tags of run ${run.run}`} placeholder="tags" value={tags} onKeyDown={onKeyDown} onChange={(event) => { setTags(event.target.value); }} />
      <input aria-label={`Note of run ${run.run}`} placeholder="a note" value={note} onKeyDown={onKeyDown} onChange={(event) => { setNote(event.target.value); }} />
      <button type="submit">Keep</button>
    </form>
  );
}
