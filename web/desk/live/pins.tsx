import { useMemo } from "react";
import { Button, ComboBox, Input, Label, ListBox, ListBoxItem, Popover } from "react-aria-components";
import { Trace } from "../parts/trace.tsx";
import { useAddress } from "../parts/use_address.ts";
import { useAsked } from "../parts/use_asked.ts";
import type { ReadingList } from "../wire/types.ts";
import { useLive } from "./live_provider.tsx";

/** Readings that the user has pinned beside the frame times, each with its last while. */
export function Pins({ pid }: { pid: number }) {
  const { go } = useAddress();
  const { pins, valuesOf } = useLive();
  const { answer } = useAsked<ReadingList>("/api/readings", {});
  const known = useMemo(() => new Map((answer?.readings ?? []).map((one) => [one.id, one])), [answer]);
  const keep = (ids: readonly string[]) => { go({ set: { pins: ids.length === 0 ? null : ids.join(",") }, replace: true }); };
  return (
    <section className="pins" aria-label="Pinned readings">
      {pins.map((id) => {
        const values = valuesOf(pid, id), newest = values.at(-1), info = known.get(id), title = info?.title ?? id;
        return (
          <div key={id} className="pinned">
            <span>{title}</span>
            <Trace values={values} kind={info?.kind ?? ""} />
            <b>{newest === undefined ? "–" : newest.toFixed(newest < 10 ? 1 : 0)} <small>{info?.unit}</small></b>
            <Button className="link" aria-label={`Unpin ${title}`} onPress={() => { keep(pins.filter((one) => one !== id)); }}>unpin</Button>
          </div>
        );
      })}
      <ComboBox className="choice" defaultItems={[...known.values()].filter((one) => !pins.includes(one.id))}
        onChange={(key) => { if (key !== null && !pins.includes(String(key))) keep([...pins, String(key)]); }}>
        <Label>Pin a reading</Label>
        <Input placeholder="type a part of its name" />
        <Popover><ListBox>{(one: { id: string; title: string }) => <ListBoxItem id={one.id} textValue={one.title}>{one.title}</ListBoxItem>}</ListBox></Popover>
      </ComboBox>
    </section>
  );
}
