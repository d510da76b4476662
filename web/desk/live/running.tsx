import { Button } from "react-aria-components";
import { Choice } from "../parts/choice.tsx";
import { useAddress } from "../parts/use_address.ts";
import { numberIn, useLive } from "./live_provider.tsx";
import { recordingWords } from "./recording_words.ts";
import { useTell } from "./use_tell.ts";

/** Always there: the running game with its rate, and the record button. */
export function Running() {
  const { games, game } = useLive();
  const { go } = useAddress();
  const tell = useTell();
  if (!game) return <div className="running quiet">No game runs</div>;
  const isOn = game.recording !== null && game.recording.state !== "ending";
  const nameOf = (pid: string) => games.find((one) => String(one.pid) === pid)?.name ?? pid;
  return (
    <div className="running">
      {games.length === 1
        ? <span className="game-name" title={game.name}>{game.name}</span>
        : <Choice label="Game" value={String(game.pid)} choices={games.map((one) => String(one.pid))} nameOf={nameOf} onChange={(pid) => { go({ set: { game: pid }, replace: true }); }} />}
      <span className="rate">{numberIn(game.figures["frame.rate"])?.toFixed(0) ?? "–"} <small>FPS</small></span>
      <Button className={isOn ? "record is-on" : "record"} onPress={() => void tell.send(game, { do: "record", what: isOn ? "stop" : "start" })}>
        {isOn ? "Stop" : "Record"}
      </Button>
      {game.recording && <span className="quiet" role="status">{recordingWords(game.recording)}</span>}
    </div>
  );
}
