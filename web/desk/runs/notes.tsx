import { useState } from "react";
import { Button, Form, Input, Label, TextField } from "react-aria-components";
import { AskName } from "../parts/ask_name.tsx";
import type { RunInsight } from "../wire/types.ts";
import type { Changes } from "./use_runs.ts";

interface Props {
  insight: RunInsight;
  changes: Changes;
  onChange: () => void;
}

/** What the user says of a run, changed where it stands. */
export function Notes({ insight, changes, onChange }: Props) {
  const [note, setNote] = useState(insight.note);
  const change = (what: Parameters<Changes["change"]>[1]) => changes.change([insight.run], what).then((isDone) => { if (isDone) onChange(); });
  return (
    <div className="notes">
      {Object.entries(insight.settings).map(([name, value]) => (
        <span key={name} className="word">{name} {value} <Button className="drop" aria-label={`Remove the setting ${name}`} onPress={() => void change({ settings_to_drop: [name] })}>×</Button></span>
      ))}
      {insight.tags.map((tag) => (
        <span key={tag} className="word">{tag} <Button className="drop" aria-label={`Remove the tag ${tag}`} onPress={() => void change({ tags_to_drop: [tag] })}>×</Button></span>
      ))}
      <AskName button="Setting …" label="What was tried, like Preset=High" usual="" onName={(setting) => change({ settings: [setting] })} />
      <AskName button="Tag …" label="A tag" usual="" onName={(tag) => change({ tags: [tag] })} />
      <Form onSubmit={(event) => { event.preventDefault(); void change({ note }); }}>
        <TextField value={note} onChange={setNote}><Label className="only-read">Note</Label><Input placeholder="a note" /></TextField>
        {note !== insight.note && <Button type="submit" className="primary">Keep it</Button>}
      </Form>
    </div>
  );
}
