import { Button, Tab, TabList, TabPanel, Tabs } from "react-aria-components";
import { Choice } from "../parts/choice.tsx";
import { Problem } from "../parts/problem.tsx";
import { useAddress } from "../parts/use_address.ts";
import { useAsked } from "../parts/use_asked.ts";
import type { FaceList } from "../wire/types.ts";
import { DemoGame } from "./demo_game.tsx";
import { Figures } from "./figures.tsx";
import { FrameStrip } from "./frame_strip.tsx";
import { useLive, type Game } from "./live_provider.tsx";
import { Pins } from "./pins.tsx";
import { RecordForm } from "./record_form.tsx";
import { recordingWords } from "./recording_words.ts";
import { useTell } from "./use_tell.ts";

const launcherLine = "idlemeter play -- %command%";

function NoGame() {
  const { isConnected } = useLive();
  if (!isConnected) return <p className="quiet">One moment …</p>;
  return (
    <section className="empty">
      <h2 className="large">No game runs yet</h2>
      <p>Put this line into your launcher, where it asks for launch options, and start the game. It shows here then, with its overlay.</p>
      <p><code>{launcherLine}</code> <Button onPress={() => void navigator.clipboard.writeText(launcherLine)}>Copy</Button></p>
      <p className="quiet">In a terminal: <code>idlemeter play ./your-game</code></p>
      <DemoGame />
    </section>
  );
}

function OneGame({ game }: { game: Game }) {
  const tell = useTell();
  const { answer: list } = useAsked<FaceList>("/api/faces", {});
  const names = [...new Set([...(list?.faces ?? []), ...(list?.starters ?? [])].map((face) => face.name).concat(game.face))].filter((name) => name !== "");
  return (
    <div className="live-game">
      <section aria-label="Frame times">
        <FrameStrip pid={game.pid} />
        <div className="figures">
          <Figures game={game} />
        </div>
        <Pins pid={game.pid} />
        <div className="orders">
          <Button onPress={() => void tell.send(game, { do: "toggle" })}>{game.isVisible ? "Hide the overlay" : "Show the overlay"}</Button>
          <Button onPress={() => void tell.send(game, { do: "clear" })}>Clear the figures</Button>
          {names.length > 0 && <Choice label="Face" value={game.face} choices={names} onChange={(name) => void tell.send(game, { do: "face", name })} />}
        </div>
        <Problem error={tell.error} />
        {game.problem && <p className="problem" role="alert">{game.problem}</p>}
      </section>
      <aside aria-label="Record">
        {game.recording && <p className="recording" role="status">{recordingWords(game.recording)}</p>}
        <RecordForm game={game} />
      </aside>
    </div>
  );
}

export function LivePlace() {
  const { games, game: looked } = useLive();
  const { go } = useAddress();
  if (!looked) return <NoGame />;
  return (
    <Tabs className="live-place" selectedKey={looked.pid} onSelectionChange={(pid) => { go({ set: { game: String(pid) }, replace: true }); }}>
      <TabList aria-label="Games" className={games.length === 1 ? "only-one" : ""}>
        {games.map((game) => <Tab key={game.pid} id={game.pid}>{game.name}</Tab>)}
      </TabList>
      {games.map((game) => <TabPanel key={game.pid} id={game.pid}><OneGame game={game} /></TabPanel>)}
    </Tabs>
  );
}
