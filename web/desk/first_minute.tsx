import { useState } from "react";
import { Button } from "react-aria-components";
import { useLive } from "./live/live_provider.tsx";
import { tell } from "./parts/ask.ts";
import { useAddress } from "./parts/use_address.ts";
import { useAsked } from "./parts/use_asked.ts";
import type { FirstMinute as Progress } from "./wire/types.ts";

/** Leads from nothing to an overlay, a recorded run and its result: one step at a time, each taken by the person. */
export function FirstMinute() {
  const [isOver, setOver] = useState(false);
  const { answer } = useAsked<Progress>("/api/first-minute", isOver ? null : {}, 1000);
  if (!answer || isOver || answer.is_over) return null;
  return <Steps progress={answer} onOver={() => { setOver(true); void tell("/api/first-minute", {}); }} />;
}

function Steps({ progress, onOver }: { progress: Progress; onOver: () => void }) {
  const { path, parameters, go } = useAddress();
  const { games } = useLive();
  const isOnRun = path === "/runs" && parameters.has("run");
  const steps = [
    { name: "An overlay", isDone: progress.has_face, words: "Press “Make it mine …” above the picture and give it a name; then put on it what you like.", show: () => { go({ path: "/face" }); } },
    { name: "A game", isDone: games.length > 0 || progress.run !== null, words: "Press “Try it on Tidepool Rally”, or start a game of yours with the line that is shown.", show: () => { go({ path: "/live" }); } },
    { name: "A run", isDone: progress.run !== null, words: "Press “Record”; 20 seconds are enough for a first look.", show: () => { go({ path: "/live" }); } },
    { name: "Its result", isDone: isOnRun, words: "Open the run: what it says, and how far it can be trusted.", show: () => { go({ path: "/runs", set: { run: String(progress.run ?? "") } }); } },
  ];
  const next = steps.find((step) => !step.isDone);
  return (
    <aside className="first-minute" aria-label="The first minute">
      <ol>
        {steps.map((step, i) => (
          <li key={step.name} aria-current={step === next ? "step" : undefined} className={step.isDone ? "done" : ""}>
            <span aria-hidden="true">{step.isDone ? "✓" : i + 1}</span> {step.name}{step.isDone && <span className="only-read"> (done)</span>}
          </li>
        ))}
      </ol>
      <p role="status">{next ? next.words : "That was all: an overlay, a run, and its result."}</p>
      {next && <Button className="primary" onPress={next.show}>Show me where</Button>}
      <Button onPress={onOver}>{next ? "Don’t show this" : "Close"}</Button>
    </aside>
  );
}
