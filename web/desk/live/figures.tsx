import { Term, definitionOf } from "../parts/term.tsx";
import { clockWords } from "./recording_words.ts";
import { numberIn, type Game } from "./live_provider.tsx";

function Figure({ name, id, value, unit }: { name: string; id: string; value: number | null; unit: string }) {
  return <div className="figure"><Term name={name} of={definitionOf(id)} /><b>{value === null ? "–" : value.toFixed(0)} <small>{unit}</small></b></div>;
}

/** "of the recording so far, 0:12"; "over 2:15, since 20:14, when the overlay was started or cleared" */
function spanWords(game: Game): string {
  const seconds = numberIn(game.figures["frame.span"]);
  if (seconds === null) return "";
  const length = clockWords(seconds), state = game.figures["recording.state"];
  if (state === "on") return `of the recording so far, ${length}`;
  if (state === "held") return `of the last recording, ${length}`;
  const since = new Date(Date.now() - seconds * 1000).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
  return `over ${length}, since ${since}, when the overlay was started or cleared`;
}

/** The running game's average and lows, all of one span, and what limits it. */
export function Figures({ game }: { game: Game }) {
  const limit = game.figures["frame.limit"];
  return (
    <>
      <Figure name="average" id="frame.average" value={numberIn(game.figures["frame.average"])} unit="FPS" />
      <Figure name="1% low" id="frame.low@1%" value={numberIn(game.figures["frame.low@1%"])} unit="FPS" />
      <Figure name="0.1% low" id="frame.low@0.1%" value={numberIn(game.figures["frame.low@0.1%"])} unit="FPS" />
      {typeof limit === "string" && <div className="figure"><Term name="limited by" of="Limited by" /><b>{limit}</b></div>}
      <p className="quiet">
        {game.api} {game.picture}, {spanWords(game)}
        {typeof limit === "object" && <>. What limits it isn’t known: {limit.missing}</>}
      </p>
    </>
  );
}
