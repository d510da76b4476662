import { useState } from "react";
import { Button, Form, Input, Label, Text, TextField } from "react-aria-components";
import { Problem } from "../parts/problem.tsx";
import { useAsked } from "../parts/use_asked.ts";
import type { FormulaValue, SettingsAnswer } from "../wire/types.ts";
import type { SettingsState } from "./use_settings.ts";

/** Readings of one's own: a formula, with its value while it is typed. */
export function FormulaForm({ settings, send }: { settings: SettingsAnswer; send: SettingsState["send"] }) {
  const [id, setId] = useState("own."), [title, setTitle] = useState(""), [formula, setFormula] = useState(""), [unit, setUnit] = useState("");
  const { answer, error } = useAsked<FormulaValue>("/api/formula", formula === "" ? null : { formula, unit }, 1000);
  const add = async () => {
    if (!(await send("/api/settings/formula", { id, title, formula, unit }))) return;
    setId("own.");
    setTitle("");
    setFormula("");
  };
  return (
    <section aria-label="Readings of your own">
      <h3>Readings of your own</h3>
      <ul>
        {settings.computed.map((one) => (
          <li key={one.id} className="own">
            <b>{one.title || one.id}</b> <code>{one.formula || `of ${one.of}`}</code> {one.unit}
            <Button className="fix" aria-label={`Remove ${one.id}`} onPress={() => void send("/api/settings/remove", { id: one.id })}>Remove</Button>
          </li>
        ))}
      </ul>
      <Form onSubmit={(event) => { event.preventDefault(); void add(); }}>
        <TextField value={formula} onChange={setFormula} isRequired>
          <Label>Formula</Label><Input placeholder="frame.rate / gpu.power" />
          <Text slot="description" aria-live="polite">{formula !== "" && !error && answer && <>now <b>{answer.value || `missing: ${answer.missing}`}</b></>}</Text>
        </TextField>
        <Problem error={formula === "" ? null : error} />
        <div className="pair">
          <TextField value={id} onChange={setId} isRequired><Label>Id</Label><Input placeholder="own.efficiency" /></TextField>
          <TextField value={unit} onChange={setUnit}><Label>Unit</Label><Input placeholder="none" /></TextField>
        </div>
        <TextField value={title} onChange={setTitle}><Label>Its name</Label><Input placeholder="Frames per joule" /></TextField>
        <Button type="submit" className="primary">Add it</Button>
      </Form>
    </section>
  );
}
