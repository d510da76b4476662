import { useState } from "react";
import { Button, DropZone, FileTrigger, Form, Input, Label, TextField } from "react-aria-components";
import { DeskError, asDeskError, send } from "../parts/ask.ts";
import { Problem } from "../parts/problem.tsx";
import type { AddedRuns, LogGuess } from "../wire/types.ts";

const most = 80 * 1024 * 1024;  // bytes, as docs/limits.md says

const columns = [["frame-time", "frame_time", "Frame times"], ["time", "time", "Presented at"], ["gpu-work", "gpu_work", "GPU work"], ["split", "split", "Runs told apart by"]] as const;

interface GuessProps {
  file: File;
  guess: LogGuess;
  onAsk: (file: File, format: Record<string, string>) => void;
  onCancel: () => void;
}

/** How another program's table was understood, to be corrected or taken. */
function Guess({ file, guess, onAsk, onCancel }: GuessProps) {
  const [format, setFormat] = useState<Record<string, string>>({ game: "" });
  const field = (name: string, label: string, hint: string) => (
    <TextField key={name} value={format[name] ?? ""} onChange={(value) => { setFormat({ ...format, [name]: value }); }}><Label>{label}</Label><Input placeholder={hint} /></TextField>
  );
  return (
    <Form className="guess" onSubmit={(event) => { event.preventDefault(); onAsk(file, { ...format, sure: "yes" }); }}>
      <h3>{file.name} is a table: is it understood?</h3>
      <ul>{guess.notes.map((note) => <li key={note}>{note}</li>)}</ul>
      <ul>{guess.runs.map((run) => <li key={run.name}>{run.words}</li>)}</ul>
      {guess.broken > 0 && <p className="problem">{guess.broken} of {guess.lines} lines can’t be read: {guess.first_broken.map((one) => `line ${one.line}, ${one.why}`).join("; ")}</p>}
      <div className="guess-fields">
        {columns.map(([name, key, label]) => <div key={name} className="pair">{field(name, label, guess[key].name || "none")}{name !== "split" && field(`${name}-unit`, "Unit", guess[key].unit || "guessed")}</div>)}
        {field("game", "The game's name", "")}
      </div>
      <Button onPress={() => { onAsk(file, format); }}>Read it again so</Button> <Button type="submit" className="primary">Add it</Button> <Button onPress={onCancel}>Leave it</Button>
    </Form>
  );
}

/** Stores, run files and tables of frame times, dropped or chosen. */
export function AddFiles() {
  const [error, setError] = useState<DeskError | null>(null), [done, setDone] = useState<string[]>([]);
  const [open, setOpen] = useState<{ file: File; guess: LogGuess } | null>(null), [isBusy, setBusy] = useState(false);
  const add = async (file: File, format: Record<string, string>) => {
    if (file.size > most) {
      setError(new DeskError("invalid", `${file.name} is larger than a page may send.`, `Add it in a terminal: idlemeter runs add ${file.name}`));
      return;
    }
    setBusy(true);
    try {
      const answer = await send<AddedRuns>("/api/runs/add", { ...format, name: file.name }, file);
      if (answer.log && !answer.runs) setOpen({ file, guess: answer.log });
      else {
        setOpen(null);
        setDone((before) => [...before.slice(-4), `${file.name}: ${answer.words ?? ""}`]);
      }
      setError(null);
    } catch (reason) {
      setError(asDeskError(reason));
    } finally {
      setBusy(false);
    }
  };
  const addAll = async (files: readonly File[]) => { for (const file of files) await add(file, {}); };
  return (
    <DropZone className="add-files" aria-label="Drop stores, run files or tables of frame times here" getDropOperation={() => "copy"}
      onDrop={(event) => void Promise.all(event.items.flatMap((item) => (item.kind === "file" ? [item.getFile()] : []))).then(addAll)}>
      <FileTrigger allowsMultiple onSelect={(files) => void addAll([...(files ?? [])])}><Button isDisabled={isBusy}>Add runs from files …</Button></FileTrigger>
      <span className="quiet" role="status">{isBusy ? "Reading …" : done.join("; ") || "or drop a store, a run file or a table of frame times here"}</span>
      <Problem error={error} />
      {open && <Guess key={JSON.stringify(open.guess)} file={open.file} guess={open.guess} onAsk={(file, format) => void add(file, format)} onCancel={() => { setOpen(null); }} />}
    </DropZone>
  );
}
