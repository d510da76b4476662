import { useState, type KeyboardEvent } from "react";
import { Button } from "react-aria-components";
import type { FileKey } from "../wire/types.ts";

/** What xkb calls keys that a browser calls something else. */
const xkbNames: Record<string, string> = {
  " ": "space", Enter: "Return", ArrowUp: "Up", ArrowDown: "Down", ArrowLeft: "Left", ArrowRight: "Right", PageUp: "Prior", PageDown: "Next",
  ScrollLock: "Scroll_Lock", PrintScreen: "Print", Backspace: "BackSpace",
};
const modifiers = ["Shift", "Control", "Alt", "Meta", "AltGraph"];

function chordOf(event: KeyboardEvent): string | null {
  if (modifiers.includes(event.key)) return null;
  const digit = /^Digit(\d)$/.exec(event.code)?.[1];  // with Shift the key's character is another one
  const key = digit ?? xkbNames[event.key] ?? (event.key.length === 1 ? event.key.toUpperCase() : event.key);
  const held = [event.shiftKey && "Shift", event.ctrlKey && "Ctrl", event.altKey && "Alt", event.metaKey && "Super"].filter((one) => one !== false);
  return [...held, key].join("+");
}

interface Props {
  of: FileKey;
  value: string;
  onChange: (value: string) => Promise<boolean>;
}

/** A combination of keys, set by pressing it. */
export function ChordField({ of: key, value, onChange }: Props) {
  const [isOpen, setOpen] = useState(false);
  const usual = key.usual.replaceAll('"', ""), shown = value || usual;
  const onKeyDown = (event: KeyboardEvent) => {
    if (!isOpen) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key === "Escape") setOpen(false);
    const chord = chordOf(event);
    if (event.key === "Escape" || chord === null) return;
    setOpen(false);
    void onChange(chord === usual ? "" : chord);
  };
  return (
    <div className="chord" onKeyDownCapture={onKeyDown}>
      <span>{key.words}</span>
      <Button onPress={() => { setOpen(true); }} onBlur={() => { setOpen(false); }} aria-label={`${key.words}: ${shown}; press it to set other keys`}>{isOpen ? "Press the keys …" : shown}</Button>
      {value !== "" && <Button className="fix" onPress={() => void onChange("")}>{usual} again</Button>}
    </div>
  );
}
