import { useRef, type KeyboardEvent, type PointerEvent } from "react";
import type { Area, FaceAnswer, SceneAnswer } from "../wire/types.ts";
import { settled, type Guide, type Size } from "./drag.ts";
import { placeOf } from "./keys.ts";
import { changesFor, changesForKey } from "./moves.ts";
import type { FaceState } from "./use_face.ts";

interface Props {
  part: string;
  area: Area;
  scene: SceneAnswer;
  state: FaceState;
  size: Size;
  zoom: number;
  isSelected: boolean;
  onSelect: (part: string) => void;
  onDrag: (drag: Drag | null) => void;
}

/** What is being dragged, where it would lie, and the lines that it would lie on. */
export interface Drag {
  part: string;
  area: Area;
  guides: Guide[];
}

/** What a screen reader says of a part. */
export function partWords(part: string, face: FaceAnswer | null): string {
  const { kind, row, cell, pin } = placeOf(part);
  if (kind === "face") return "The whole overlay";
  if (kind === "pin") return `Pin ${pin + 1}, ${face?.parts?.pins[pin]?.title ?? ""}`;
  const here = face?.parts?.rows[row], label = here?.label || `row ${row + 1}`;
  return kind === "row" ? `Row ${label}` : `${label}, ${here?.cells[cell]?.title ?? ""}`;
}

/** A part on the picture: selected by a click, dragged, or pushed by the arrow keys. The whole overlay is dragged by rows and cells too, until they are
 * selected. */
export function AreaButton({ part, area, scene, state, size, zoom, isSelected, onSelect, onDrag }: Props) {
  const start = useRef<{ x: number; y: number } | null>(null);
  const drag = useRef<Drag | null>(null);  // where it is now: pointers move faster than the page draws
  const isOwn = state.face?.is_own ?? false;
  const dragged = isSelected || placeOf(part).kind === "pin" ? part : "face";

  const onPointerDown = (event: PointerEvent<HTMLButtonElement>) => {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    start.current = { x: event.clientX, y: event.clientY };
  };
  const onPointerMove = (event: PointerEvent) => {
    if (!start.current || !isOwn) return;
    const by = { x: (event.clientX - start.current.x) / zoom, y: (event.clientY - start.current.y) / zoom };
    if (!drag.current && Math.hypot(by.x, by.y) * zoom < 5) return;
    const from = scene.areas.find((one) => one.part === dragged)?.area ?? area;
    const kind = placeOf(dragged).kind, isFree = kind === "face" || kind === "pin";
    const others = isFree ? scene.areas.filter((one) => one.part !== dragged && placeOf(one.part).kind === "pin").map((one) => one.area) : [];
    show({ part: dragged, ...settled(from, by, size, others, isFree && !event.altKey ? 8 / zoom : 0) });
  };
  const show = (next: Drag | null) => {
    drag.current = next;
    onDrag(next);
  };
  const end = () => {
    start.current = null;
    show(null);
  };
  const onPointerUp = (event: PointerEvent) => {
    onPointerMove(event);
    const dropped = drag.current;
    onSelect(dropped ? dropped.part : part);
    const changes = dropped ? changesFor(dropped.part, dropped.area, size, scene.areas) : [];
    if (changes.length > 0) void state.change(...changes);
    end();
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === "Enter" || event.key === " ") onSelect(part);
    if (!isOwn || !state.face) return;
    if (event.key === "Delete" && part !== "face") void state.change({ do: "remove", part });
    const changes = changesForKey(part, event.key, state.face, scene, size);
    if (changes.length === 0) return;
    event.preventDefault();
    void state.change(...changes);
  };

  return (
    <button type="button" className={`area area-${placeOf(part).kind}`} aria-pressed={isSelected} aria-label={partWords(part, state.face)}
      style={{ left: area.x, top: area.y, width: area.width, height: area.height }}
      onClick={(event) => { if (event.detail === 0) onSelect(part); /* a screen reader's, without a pointer */ }} onPointerDown={onPointerDown} onPointerMove={onPointerMove} onPointerUp={onPointerUp} onPointerCancel={end} onKeyDown={onKeyDown} />
  );
}
