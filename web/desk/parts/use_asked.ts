import { useEffect, useRef, useState } from "react";
import { DeskError, ask } from "./ask.ts";
import { firstAnswer } from "./first_view.ts";

export interface Asked<Answer> {
  answer: Answer | null;
  error: DeskError | null;
}

/** Asks at once and then every so many milliseconds (0: once) while the page is seen, and again when the question changes. */
export function useAsked<Answer>(path: string, parameters: Record<string, string | number> | null, every = 0): Asked<Answer> {
  const [state, setState] = useState<Asked<Answer>>(() => ({ answer: firstAnswer(path) as Answer | null, error: null }));
  const isAnswered = useRef(state.answer !== null);
  const question = parameters === null ? null : JSON.stringify(parameters);
  useEffect(() => {
    if (question === null) return;
    const stop = new AbortController();
    let timer = 0;
    const look = async () => {
      try {
        if (!document.hidden) {
          const answer = await ask<Answer>(path, JSON.parse(question) as Record<string, string>, stop.signal);
          setState({ answer, error: null });
        }
      } catch (reason) {
        if (reason instanceof DeskError) setState((before) => ({ ...before, error: reason }));
      }
      if (every > 0 && !stop.signal.aborted) timer = window.setTimeout(() => void look(), every);
    };
    if (isAnswered.current) timer = every > 0 ? window.setTimeout(() => void look(), every) : 0;
    else void look();
    isAnswered.current = false;
    return () => {
      stop.abort();
      window.clearTimeout(timer);
    };
  }, [path, question, every]);
  return state;
}
