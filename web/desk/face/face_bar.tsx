import { useState } from "react";
import { Button, DropZone, FileTrigger, Link } from "react-aria-components";
import { DeskError, send, tell } from "../parts/ask.ts";
import { AskName } from "../parts/ask_name.tsx";
import { Choice } from "../parts/choice.tsx";
import { Problem } from "../parts/problem.tsx";
import { useAddress } from "../parts/use_address.ts";
import type { FaceAnswer, FaceList } from "../wire/types.ts";
import type { FaceState } from "./use_face.ts";

interface Props {
  name: string;
  list: FaceList | null;
  state: FaceState;
  onListChange: () => void;
}

/** A name that no face has yet: "benchmark", "benchmark-2" … */
function freeName(from: string, list: FaceList | null): string {
  const taken = new Set([...(list?.faces ?? []), ...(list?.starters ?? [])].map((one) => one.name));
  let name = `my-${from}`;
  for (let i = 2; taken.has(name); ++i) name = `my-${from}-${i}`;
  return name;
}

/** Which face is worked on, and all that is done with a whole one. */
export function FaceBar({ name, list, state, onListChange }: Props) {
  const { go } = useAddress();
  const [error, setError] = useState<DeskError | null>(null);
  const starters = list?.starters ?? [], kept = list?.faces ?? [];
  const isOwn = state.face?.is_own ?? false, isStarter = state.face?.is_own === false;
  const open = (face: string) => { go({ set: { face, part: null } }); };
  const attempt = async (step: () => Promise<unknown>, next?: string) => {
    try {
      await step();
      setError(null);
      onListChange();
      if (next !== undefined) open(next);
    } catch (reason) {
      if (reason instanceof DeskError) setError(reason);
    }
  };
  const make = (to: string) => attempt(() => tell<FaceAnswer>("/api/face/make", { from: name, name: to }), to);
  const unpack = async (file: File) => {
    const to = freeName(file.name.replace(/\.[^.]*$/, "").replace(/[^\w-]+/g, "-"), list).replace(/^my-/, "");
    await attempt(() => send<FaceAnswer>("/api/face/unpack", { name: to }, file), to);
  };
  const nameOf = (one: string) => {
    const starter = starters.find((face) => face.name === one), own = kept.find((face) => face.name === one);
    return own?.is_default ? `${one} (in all games)` : starter && !own ? `${one}: a starter` : one;
  };

  return (
    <DropZone className="face-bar" aria-label="Drop a packed face here" getDropOperation={(types) => (types.has("application/zip") ? "copy" : "cancel")}
      onDrop={(event) => { for (const item of event.items) if (item.kind === "file") void item.getFile().then(unpack); }}>
      <Choice label="Face" value={name} choices={[...new Set([...kept, ...starters].map((one) => one.name).concat(name))]} nameOf={nameOf} onChange={open} />
      <AskName button={isStarter ? "Make it mine …" : "Copy …"} label="Its name" usual={freeName(name, list)} onName={make} isPrimary={isStarter} />
      <Button isDisabled={!isOwn} onPress={() => void attempt(() => tell("/api/face/choose", { name }))}>Use it in all games</Button>
      <AskName button="For one game …" label="The game's program, like tidepool*" usual="" isDisabled={!isOwn}
        onName={(program) => attempt(() => tell("/api/face/choose", { name, program }))} />
      {isOwn && <Link className="button" href={`./api/face/pack?name=${encodeURIComponent(name)}`} target="_blank" download={`${name}.zip`}>Pack</Link>}
      <FileTrigger acceptedFileTypes={["application/zip"]} onSelect={(files) => { const file = files?.[0]; if (file) void unpack(file); }}>
        <Button>Unpack …</Button>
      </FileTrigger>
      <Problem error={error} />
    </DropZone>
  );
}
