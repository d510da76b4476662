import { KeyField } from "../parts/key_field.tsx";
import { Problem } from "../parts/problem.tsx";
import type { FileKey } from "../wire/types.ts";
import { ChordField } from "./chord_field.tsx";
import { CueField } from "./cue_field.tsx";
import { FormulaForm } from "./formula_form.tsx";
import { keyName, useSettings, valueOf } from "./use_settings.ts";

const groups: [string, (key: FileKey) => boolean][] = [
  ["Readings", (key) => key.table === "" && ["pace", "gpu_time"].includes(key.name)],
  ["Keys while a game is played", (key) => key.table === "keys"],
  ["Every recording", (key) => key.table === "recording" && key.name !== "settings"],
  ["Cues", (key) => key.table === "cues"],
  ["Runs", (key) => key.table === "" && key.name === "store"],
];

/** The settings beside what they change. */
export function SettingsList() {
  const { settings, error, set, send } = useSettings();
  if (!settings) return error ? <Problem error={error} /> : <p className="quiet">One moment …</p>;
  const fieldOf = (key: FileKey) => {
    const props = { of: key, value: valueOf(settings, key), onChange: (value: string) => set(key, value) };
    if (key.type === "chord") return <ChordField key={keyName(key)} {...props} />;
    if (key.type === "choices") return <CueField key={keyName(key)} {...props} />;
    return <KeyField key={keyName(key)} {...props} isDisabled={false} />;
  };
  return (
    <div className="settings scrolls">
      <Problem error={error} />
      {settings.findings.length > 0 && <ul className="findings">{settings.findings.map((one) => <li key={one} className="error">{one}</li>)}</ul>}
      {groups.map(([title, isOf]) => <section key={title} aria-label={title}><h3>{title}</h3>{settings.keys.filter(isOf).map(fieldOf)}</section>)}
      <FormulaForm settings={settings} send={send} />
      <p className="quiet">All of it is in {settings.file}, which can be edited, too.</p>
    </div>
  );
}
