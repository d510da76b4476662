import type { DeskError } from "./ask.ts";

/** An error where it belongs, with what to do about it. */
export function Problem({ error }: { error: DeskError | null }) {
  if (!error) return null;
  return (
    <p className="problem" role="alert">
      {error.message}{error.fix && <>; <b>{error.fix}</b></>}
    </p>
  );
}
