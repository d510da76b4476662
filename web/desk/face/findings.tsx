import type { ReactNode } from "react";
import { Button } from "react-aria-components";
import type { FaceAnswer, Finding } from "../wire/types.ts";
import { partWords } from "./area_button.tsx";
import { placeOf } from "./keys.ts";
import type { FaceState } from "./use_face.ts";

interface Props {
  face: FaceAnswer;
  part: string;
  state: FaceState;
}

/** What is wrong or could be better, with the change that puts it right as a button. */
function One({ finding, state, canFix, children }: { finding: Finding; state: FaceState; canFix: boolean; children?: ReactNode }) {
  const { fix, part } = finding;
  return (
    <li className={finding.severity}>
      {children}{finding.message}
      {fix && canFix && (
        <> <Button className="fix" onPress={() => void state.change(fix.value === null ? { do: "unset", part, key: fix.key } : { do: "set", part, key: fix.key, value: fix.value })}>
          {fix.words}
        </Button></>
      )}
    </li>
  );
}

const keyOf = (one: Finding) => `${one.line} ${one.message}`;

export function Findings({ face, part, state }: Props) {
  const mine = face.findings.filter((one) => one.part === part || (part === "face" && placeOf(one.part).kind === "face"));
  return <ul className="findings">{mine.map((one) => <One key={keyOf(one)} finding={one} state={state} canFix={face.is_own} />)}</ul>;
}

/** Findings about other parts, each a way to its part. */
export function OtherFindings({ face, part, state, onSelect }: Props & { onSelect: (part: string) => void }) {
  const others = face.findings.filter((one) => one.part !== part);
  if (others.length === 0) return null;
  return (
    <section aria-label="Advice about other parts">
      <h3>Elsewhere</h3>
      <ul className="findings">
        {others.map((one) => (
          <One key={keyOf(one)} finding={one} state={state} canFix={face.is_own}>
            <Button className="link" onPress={() => { onSelect(one.part); }}>{partWords(one.part, face)}</Button>:{" "}
          </One>
        ))}
      </ul>
    </section>
  );
}
