import { useEffect, useId, useRef, useState } from "react";
import { Input, Label, SwitchButton, SwitchField, Text, TextField } from "react-aria-components";
import { Choice } from "./choice.tsx";
import type { FileKey } from "../wire/types.ts";

interface Props {
  of: FileKey;
  /** As one would type it; "" for the default. */
  value: string;
  isDisabled: boolean;
  onChange: (value: string) => Promise<boolean>;
}

const plain = (words: string) => words.replaceAll("`", "").split(/[.;:]/)[0] ?? "";
const usual = (key: FileKey) => key.usual.replaceAll('"', "");
const spoken = (name: string) => name.charAt(0).toUpperCase() + name.slice(1).replaceAll("_", " ");

const labels: Record<string, string> = { as: "Shown as", dx: "From the edge, across", dy: "From the edge, down", anchor: "Corner or edge", at: "Place", gpu_time: "GPU time" };
const labelOf = (key: FileKey) => labels[key.name] ?? (key.table === "text" ? `Text ${key.name}` : key.table === "back" ? `Box ${key.name}` : spoken(key.name));

export function KeyField(props: Props) {
  const { of: key, value, isDisabled, onChange } = props;
  if (key.type === "flag")
    return (
      <SwitchField isSelected={(value || usual(key)) === "true"} isDisabled={isDisabled} onChange={(isOn) => void onChange(String(isOn) === usual(key) ? "" : String(isOn))}>
        <SwitchButton><span className="knob" aria-hidden="true" /> {labelOf(key)}</SwitchButton>
      </SwitchField>
    );
  if (key.type === "choice" && key.choices.length > 0)
    return <Choice label={labelOf(key)} value={value || usual(key)} choices={key.choices} isDisabled={isDisabled} onChange={(next) => void onChange(next === usual(key) ? "" : next)} />;
  if (key.type === "color") return <ColorField {...props} />;
  return <TypedField {...props} />;
}

/** Typed: tried after a short rest, at Enter, and when the focus leaves. */
function TypedField({ of: key, value, isDisabled, onChange }: Props) {
  const [text, setText] = useState(value), [isWrong, setWrong] = useState(false);
  const timer = useRef(0), isEdited = useRef(false);
  useEffect(() => { if (!isEdited.current) setText(value); }, [value]);
  const submit = (next: string) => {
    window.clearTimeout(timer.current);
    if (!isEdited.current) return;
    isEdited.current = false;
    if (next !== value) void onChange(next).then((isDone) => { setWrong(!isDone); });
  };
  return (
    <TextField value={text} isDisabled={isDisabled} isInvalid={isWrong}
      onChange={(next) => {
        setText(next);
        isEdited.current = true;
        window.clearTimeout(timer.current);
        timer.current = window.setTimeout(() => { submit(next); }, 400);
      }}
      onBlur={() => { submit(text); }} onKeyDown={(event) => { if (event.key === "Enter") submit(text); }}>
      <Label>{labelOf(key)}</Label>
      <Input placeholder={usual(key)} inputMode={key.type === "number" || key.type === "whole" ? "decimal" : "text"} />
      <Text slot="description">{plain(key.words)}</Text>
    </TextField>
  );
}

/** A colour by pointing, with its value to type. */
function ColorField({ of: key, value, isDisabled, onChange }: Props) {
  const id = useId();
  const [picked, setPicked] = useState<string | null>(null);
  const isColor = /^#[0-9a-f]{6}/i.test(value);
  return (
    <div className="color-field">
      <TypedField of={key} value={value} isDisabled={isDisabled} onChange={onChange} />
      <label htmlFor={id} className="only-read">{labelOf(key)}, by pointing</label>
      <input id={id} type="color" disabled={isDisabled} value={picked ?? (isColor ? value.slice(0, 7) : "#f4f4f4")}
        onChange={(event) => { setPicked(event.target.value); }}
        onBlur={() => { if (picked !== null) void onChange(picked).then(() => { setPicked(null); }); }} />
    </div>
  );
}
