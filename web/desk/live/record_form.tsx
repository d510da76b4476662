import { useState, type ReactNode } from "react";
import { Button, Form, Input, Label, TextField } from "react-aria-components";
import { Problem } from "../parts/problem.tsx";
import { useAsked } from "../parts/use_asked.ts";
import type { PlanWords } from "../wire/types.ts";
import type { Game } from "./live_provider.tsx";
import { useTell } from "./use_tell.ts";

interface Plan {
  for: string;
  after: string;
  repeat: string;
  pause: string;
  settings: string;
  tags: string;
  note: string;
}

const listed = (text: string) => text.split(",").map((word) => word.trim()).filter((word) => word !== "");

/** As the desk reads it: it knows what "90s" and "1:30" are. */
const asTold = (plan: Plan) => ({ ...plan, settings: listed(plan.settings), tags: listed(plan.tags) });

export function RecordForm({ game }: { game: Game }) {
  const [plan, setPlan] = useState<Plan>({ for: "60s", after: "", repeat: "", pause: "", settings: "", tags: "", note: "" });
  const [mark, setMark] = useState(""), [more, setMore] = useState("");
  const tell = useTell();
  const { answer: planned, error: wrong } = useAsked<PlanWords>("/api/plan", { for: plan.for, after: plan.after, repeat: plan.repeat, pause: plan.pause });
  const isOn = game.recording !== null && game.recording.state !== "ending";
  const field = (name: keyof Plan, label: string, hint: string): ReactNode => (
    <TextField value={plan[name]} onChange={(value) => { setPlan({ ...plan, [name]: value }); }} isDisabled={isOn}>
      <Label>{label}</Label><Input placeholder={hint} />
    </TextField>
  );
  return (
    <Form className="record-form" onSubmit={(event) => { event.preventDefault(); void (isOn ? tell.send(game, { do: "record", what: "stop" }) : tell.record(game, asTold(plan))); }}>
      <h2>Record</h2>
      <div className="pair">{field("for", "For", "until you stop it")}{field("after", "After", "at once")}</div>
      <div className="pair">{field("repeat", "Times", "1")}{field("pause", "Pause", "none")}</div>
      {field("settings", "Settings tried", "Preset=High, Shadows=Low")}
      {field("tags", "Tags", "gate 3, wet")}
      {field("note", "Note", "")}
      <p className="quiet">Write 60 (seconds), 90s or 1:30; “mark” waits for a mark. {!wrong && planned?.words && <>Planned: {planned.words}.</>}</p>
      {!isOn && <Problem error={wrong} />}
      <Button type="submit" className={isOn ? "primary is-on" : "primary"}>{isOn ? "Stop" : "Record"}</Button>
      {isOn && (
        <div className="pair">
          <TextField value={mark} onChange={setMark}><Label>Mark</Label><Input placeholder="boss fight" /></TextField>
          <Button onPress={() => void tell.send(game, { do: "mark", text: mark })}>Set a mark</Button>
          <TextField value={more} onChange={setMore}><Label>More to note</Label><Input placeholder="rain since gate 3" /></TextField>
          <Button isDisabled={more === ""} onPress={() => void tell.send(game, { do: "note", note: more }).then((isDone) => { if (isDone) setMore(""); })}>Add it</Button>
        </div>
      )}
      <Problem error={tell.error} />
    </Form>
  );
}
