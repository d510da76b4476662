import { Button } from "react-aria-components";
import { Problem } from "../parts/problem.tsx";
import { commandOf } from "./command.ts";
import type { FaceState } from "./use_face.ts";

/** Undo and redo, whether all is saved, and the command for the last change. */
export function FaceFooter({ name, state }: { name: string; state: FaceState }) {
  const { face, error, last, isBusy } = state;
  return (
    <footer className="face-footer">
      <Button onPress={() => void state.undo()} isDisabled={!face?.is_own}>Undo</Button>
      <Button onPress={() => void state.redo()} isDisabled={!face?.is_own}>Redo</Button>
      <span className="quiet" role="status">{isBusy ? "Saving …" : error ? "Not saved" : face?.is_own ? "Saved" : "A starter: make it yours to change it"}</span>
      {last.length > 0 && !error && <code className="as-command" title="The same in a terminal">{commandOf(name, last)}</code>}
      <Problem error={error} />
    </footer>
  );
}
