import { Button, Disclosure, DisclosurePanel, Heading } from "react-aria-components";
import type { FaceAnswer, FileKey } from "../wire/types.ts";
import { partWords } from "./area_button.tsx";
import { Findings, OtherFindings } from "./findings.tsx";
import { KeyField } from "../parts/key_field.tsx";
import { keyName, keysFor, placeOf, tableOf, valueOf } from "./keys.ts";
import type { FaceState } from "./use_face.ts";

interface Props {
  face: FaceAnswer;
  keys: readonly FileKey[];
  part: string;
  state: FaceState;
  onSelect: (part: string) => void;
}

/** What people change most; all else is one press away. */
const common: Record<string, string[]> = {
  face: ["name", "place.anchor", "text.size", "text.color", "back.opacity", "flow", "palette"],
  row: ["label", "color", "gap", "rule", "optional"],
  cell: ["title", "as", "unit", "digits", "color", "caution", "danger", "range", "seconds"],
  pin: ["at", "reading", "text", "title", "as", "unit", "digits", "color", "size", "caution", "danger"],
};

/** What the part is in, each a way there. */
function Around({ face, part, onSelect }: Pick<Props, "face" | "part" | "onSelect">) {
  const { kind, row } = placeOf(part);
  if (kind === "face") return null;
  return (
    <nav className="around" aria-label="What it is in">
      <Button className="link" onPress={() => { onSelect("face"); }}>Overlay</Button> ›
      {kind === "cell" && <> <Button className="link" onPress={() => { onSelect(`row:${row + 1}`); }}>{face.parts?.rows[row]?.label || `row ${row + 1}`}</Button> ›</>}
    </nav>
  );
}

export function PartForm({ face, keys, part, state, onSelect }: Props) {
  const table = tableOf(face, part), kind = placeOf(part).kind;
  const all = keysFor(keys, part, table);
  const first = (common[kind] ?? []).flatMap((name) => all.filter((key) => keyName(key) === name));
  const rest = all.filter((key) => !first.includes(key));
  const field = (key: FileKey) => (
    <KeyField key={`${part} ${keyName(key)}`} of={key} value={valueOf(table, key)} isDisabled={!face.is_own}
      onChange={(value) => state.change(value === "" ? { do: "unset", part, key: keyName(key) } : { do: "set", part, key: keyName(key), value })} />
  );
  return (
    <div className="scrolls">
      <Around face={face} part={part} onSelect={onSelect} />
      <h2>{partWords(part, face)}</h2>
      <Findings face={face} part={part} state={state} />
      {first.map(field)}
      {rest.length > 0 && (
        <Disclosure>
          <Heading><Button slot="trigger" className="more">{rest.length} more</Button></Heading>
          <DisclosurePanel>{rest.map(field)}</DisclosurePanel>
        </Disclosure>
      )}
      {kind !== "face" && (
        <Button className="remove" isDisabled={!face.is_own} onPress={() => { onSelect("face"); void state.change({ do: "remove", part }); }}>Take it off</Button>
      )}
      <OtherFindings face={face} part={part} state={state} onSelect={onSelect} />
    </div>
  );
}
