import { useState } from "react";
import { Button } from "react-aria-components";
import { DeskError, tell } from "../parts/ask.ts";
import { Problem } from "../parts/problem.tsx";
import { useAsked } from "../parts/use_asked.ts";
import type { DemoGameState } from "../wire/types.ts";

/** A game that is installed with Idle Meter, for those who have none at hand. */
export function DemoGame() {
  const { answer: state } = useAsked<DemoGameState>("/api/demo-game", {}, 500);
  const [error, setError] = useState<DeskError | null>(null);
  const start = async () => {
    try {
      await tell("/api/demo-game", {});
      setError(null);
    } catch (reason) {
      if (reason instanceof DeskError) setError(reason);
    }
  };
  if (!state?.there) return null;
  return (
    <>
      <h2>No game at hand?</h2>
      <p>Tidepool Rally, a small drive along a beach, is here to try everything on. <Button className="primary" isDisabled={state.runs} onPress={() => void start()}>{state.runs ? "It starts …" : "Try it on Tidepool Rally"}</Button></p>
      {state.problem !== "" && !state.runs && <p className="problem" role="alert">{state.problem}</p>}
      <Problem error={error} />
    </>
  );
}
