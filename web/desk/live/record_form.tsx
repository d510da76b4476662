import { useState, type ReactNode } from "react";
import { Button, Form, Input, Label, TextField } from "react-aria-components";
import { Problem } from "../parts/problem.tsx";
import type { Game } from "./live_provider.tsx";
import { useTell, type Order } from "./use_tell.ts";

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

/** "Preset=High, Shadows=Low" */
const settingsIn = (text: string) => Object.fromEntries(listed(text).map((word) => {
  const [name = "", ...value] = word.split("=");
  return [name.trim(), value.join("=").trim()];
}));

/** What a plan tells the meter; a field that is empty says nothing. */
function orderOf(plan: Plan): Order {
  const order: Order = { do: "record", what: "start" };
  for (const name of ["for", "after", "pause"] as const) if (plan[name] !== "") order[name] = Number(plan[name]);
  if (plan.repeat !== "") order["repeat"] = Number(plan.repeat);
  if (plan.settings !== "") order["settings"] = settingsIn(plan.settings);
  if (plan.tags !== "") order["tags"] = listed(plan.tags);
  if (plan.note !== "") order["note"] = plan.note;
  return order;
}

/** When the last run of the plan ends, in words; "" if that isn't planned. */
function endOf(plan: Plan): string {
  const runs = Number(plan.repeat) || 1, each = Number(plan.for);
  if (!(each > 0)) return "";
  const all = Number(plan.after || 0) + runs * each + (runs - 1) * Number(plan.pause || 0);
  return `${runs === 1 ? "One run" : `${runs} runs`}; the last ends ${Math.floor(all / 60)}:${String(Math.round(all % 60)).padStart(2, "0")} after you press Record.`;
}

export function RecordForm({ game }: { game: Game }) {
  const [plan, setPlan] = useState<Plan>({ for: "60", after: "", repeat: "", pause: "", settings: "", tags: "", note: "" });
  const [mark, setMark] = useState(""), [more, setMore] = useState("");
  const tell = useTell();
  const isOn = game.recording !== null && game.recording.state !== "ending";
  const field = (name: keyof Plan, label: string, hint: string): ReactNode => (
    <TextField value={plan[name]} onChange={(value) => { setPlan({ ...plan, [name]: value }); }} isDisabled={isOn}>
      <Label>{label}</Label><Input placeholder={hint} />
    </TextField>
  );
  return (
    <Form className="record-form" onSubmit={(event) => { event.preventDefault(); void tell.send(game, isOn ? { do: "record", what: "stop" } : orderOf(plan)); }}>
      <h2>Record</h2>
      <div className="pair">{field("for", "For, seconds", "until you stop it")}{field("after", "After, seconds", "at once")}</div>
      <div className="pair">{field("repeat", "Times", "1")}{field("pause", "Pause, seconds", "none")}</div>
      {field("settings", "Settings tried", "Preset=High, Shadows=Low")}
      {field("tags", "Tags", "gate 3, wet")}
      {field("note", "Note", "")}
      <p className="quiet">{endOf(plan)}</p>
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
