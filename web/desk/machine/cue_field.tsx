import { useState } from "react";
import { Button, CheckboxButton, CheckboxField, CheckboxGroup, Label } from "react-aria-components";
import { DeskError, tell } from "../parts/ask.ts";
import { Problem } from "../parts/problem.tsx";
import type { FileKey } from "../wire/types.ts";

interface Props {
  of: FileKey;
  value: string;
  onChange: (value: string) => Promise<boolean>;
}

const listIn = (text: string): string[] => {
  const list: unknown = JSON.parse(text || "[]");
  return Array.isArray(list) ? list.map(String) : [];
};

/** How a cue is given, and how it sounds. */
export function CueField({ of: key, value, onChange }: Props) {
  const [error, setError] = useState<DeskError | null>(null);
  const chosen = listIn(value || key.usual);
  const hear = async () => {
    try {
      await tell("/api/cue", { cue: key.name });
      setError(null);
    } catch (reason) {
      if (reason instanceof DeskError) setError(reason);
    }
  };
  return (
    <CheckboxGroup className="cue" value={chosen} onChange={(next) => {
      const list = JSON.stringify(key.choices.filter((way) => next.includes(way)));
      void onChange(list === JSON.stringify(listIn(key.usual)) ? "" : list);
    }}>
      <Label>{key.name}: {key.words.replaceAll("`", "")}</Label>
      {key.choices.map((way) => <CheckboxField key={way} value={way}><CheckboxButton><span className="box" aria-hidden="true" />{way}</CheckboxButton></CheckboxField>)}
      <Button className="fix" onPress={() => void hear()} isDisabled={chosen.length === 0} aria-label={`Try it: the cue ${key.name}`}>Try it</Button>
      <Problem error={error} />
    </CheckboxGroup>
  );
}
