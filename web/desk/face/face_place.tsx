import { isTyping } from "../parts/is_typing.ts";
import { useEffect, useMemo, useState } from "react";
import { Tab, TabList, TabPanel, Tabs } from "react-aria-components";
import { Problem } from "../parts/problem.tsx";
import { useAddress } from "../parts/use_address.ts";
import { useAsked } from "../parts/use_asked.ts";
import type { FaceList, KeyTable } from "../wire/types.ts";
import { FaceBar } from "./face_bar.tsx";
import { FaceFooter } from "./face_footer.tsx";
import { PartForm } from "./part_form.tsx";
import { PartList } from "./part_list.tsx";
import { ReadingList } from "./reading_list.tsx";
import { Stage } from "./stage.tsx";
import { useFace } from "./use_face.ts";

export function FacePlace() {
  const { parameters } = useAddress();
  const [changes, setChanges] = useState(0);
  const { answer: list, error } = useAsked<FaceList>("/api/faces", { changes });
  const name = parameters.get("face") ?? list?.usual;
  if (error) return <Problem error={error} />;
  if (!name) return <p className="quiet">One moment …</p>;
  return <OneFace key={name} name={name} list={list} onListChange={() => { setChanges((count) => count + 1); }} />;
}

function OneFace({ name, list, onListChange }: { name: string; list: FaceList | null; onListChange: () => void }) {
  const { parameters, go } = useAddress();
  const state = useFace(name);
  const keys = useAsked<KeyTable>("/api/keys", {}).answer?.keys;
  const part = parameters.get("part") ?? "face";
  const { undo, redo, face } = state;
  const select = useMemo(() => (next: string) => { go({ set: { part: next === "face" ? null : next }, replace: true }); }, [go]);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "Escape" && !document.querySelector(".react-aria-Popover")) select("face");
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z" || isTyping(event.target)) return;
      event.preventDefault();
      void (event.shiftKey ? redo() : undo());
    };
    window.addEventListener("keydown", onKey);
    return () => { window.removeEventListener("keydown", onKey); };
  }, [undo, redo, select]);

  return (
    <div className="face-place">
      <FaceBar name={name} list={list} state={state} onListChange={onListChange} />
      <aside className="side" aria-label="Readings and rows">
        <Tabs defaultSelectedKey="readings">
          <TabList aria-label="What the left side lists">
            <Tab id="readings">Readings</Tab>
            <Tab id="rows">On the overlay</Tab>
          </TabList>
          <TabPanel id="readings"><ReadingList state={state} onSelect={select} /></TabPanel>
          <TabPanel id="rows"><PartList state={state} part={part} onSelect={select} /></TabPanel>
        </Tabs>
      </aside>
      <section className="middle" aria-label="The overlay on a game's picture">
        <Stage name={name} state={state} part={part} onSelect={select} />
        <FaceFooter name={name} state={state} />
      </section>
      <aside className="side form" aria-label="The selected part">
        {face && keys && <PartForm face={face} keys={keys} part={part} state={state} onSelect={select} />}
      </aside>
    </div>
  );
}
