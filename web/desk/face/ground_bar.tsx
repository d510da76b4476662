import { useEffect, useState } from "react";
import { Button, FileTrigger, ToggleButton, ToggleButtonGroup } from "react-aria-components";
import { Choice } from "../parts/choice.tsx";
import { useAddress } from "../parts/use_address.ts";
import { useLive } from "../live/live_provider.tsx";
import type { Size } from "./drag.ts";
import { groundAddress, isFittedIn, sizeIn, usualGround } from "./ground.ts";

const grounds = [["day", "Bright"], ["night", "Dark"], ["reef", "Busy"]] as const;
const sizes = ["1280x720", "1280x800", "1920x1080", "2560x1440", "3840x2160"];

/** One's own screenshot; it never leaves the browser. */
interface Own {
  source: string;
  size: Size;
}

async function ownPicture(file: File): Promise<Own> {
  const picture = await createImageBitmap(file);
  return { source: URL.createObjectURL(file), size: { width: Math.min(4096, picture.width), height: Math.min(4096, picture.height) } };
}

export function useGround() {
  const { parameters, go } = useAddress();
  const [own, setOwn] = useState<Own | null>(null);
  const source = own?.source;
  useEffect(() => () => { if (source) URL.revokeObjectURL(source); }, [source]);
  const size = own?.size ?? sizeIn(parameters.get("size"));
  const name = parameters.get("ground") ?? usualGround, isFitted = isFittedIn(parameters);
  return {
    name: own ? "own" : name, size, go,
    source: own?.source ?? groundAddress(name, size, isFitted),
    isFitted,
    choose: (next: string) => { setOwn(null); go({ set: { ground: next }, replace: true }); },
    open: async (file: File) => { setOwn(await ownPicture(file)); },
  };
}

export function GroundBar({ ground }: { ground: ReturnType<typeof useGround> }) {
  const { games } = useLive();
  const running = games.map((game) => game.picture).filter((size) => /^\d+x\d+$/.test(size));
  const all = [...new Set([...running, ...sizes, `${ground.size.width}x${ground.size.height}`])];
  return (
    <div className="ground-bar">
      <ToggleButtonGroup aria-label="The game's picture" selectionMode="single" selectedKeys={[ground.name]}
        onSelectionChange={(keys) => { const [key] = keys; if (key !== undefined && key !== "own") ground.choose(String(key)); }}>
        {grounds.map(([id, word]) => <ToggleButton key={id} id={id}>{word}</ToggleButton>)}
      </ToggleButtonGroup>
      <FileTrigger acceptedFileTypes={["image/*"]} onSelect={(files) => { const file = files?.[0]; if (file) void ground.open(file); }}>
        <Button>Your screenshot …</Button>
      </FileTrigger>
      <Choice label="Size" value={`${ground.size.width}x${ground.size.height}`} choices={all}
        onChange={(size) => { ground.go({ set: { size }, replace: true }); }} />
      <ToggleButton isSelected={ground.isFitted} onChange={(isFitted) => { ground.go({ set: { view: isFitted ? null : "true" }, replace: true }); }}>Fit</ToggleButton>
    </div>
  );
}
