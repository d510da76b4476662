import { Button } from "react-aria-components";
import { useLive } from "./live_provider.tsx";
import { recordingWords } from "./recording_words.ts";
import { useTell } from "./use_tell.ts";

/** Always there: the running game with its rate, and the record button. */
export function Running() {
  const { games } = useLive();
  const tell = useTell();
  const game = games[0];
  if (!game) return <div className="running quiet">No game runs</div>;
  const isOn = game.recording !== null && game.recording.state !== "ending";
  return (
    <div className="running">
      <span className="game-name" title={game.name}>{game.name}</span>
      <span className="rate">{game.average === null ? "–" : game.average.toFixed(0)} <small>FPS</small></span>
      <Button className={isOn ? "record is-on" : "record"} onPress={() => void tell.send(game, { do: "record", what: isOn ? "stop" : "start" })}>
        {isOn ? "Stop" : "Record"}
      </Button>
      {game.recording && <span className="quiet" role="status">{recordingWords(game.recording)}</span>}
    </div>
  );
}
