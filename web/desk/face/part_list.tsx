import { Button, GridList, GridListItem, useDragAndDrop } from "react-aria-components";
import type { FaceRow } from "../wire/types.ts";
import type { FaceState } from "./use_face.ts";

const nameOf = (row: FaceRow) => row.label || row.cells.map((cell) => cell.title).join(", ") || "an empty row";

interface Props {
  state: FaceState;
  part: string;
  onSelect: (part: string) => void;
}

/** The rows in their order: dragged, or moved by keyboard, each with its cells. */
export function PartList({ state, part, onSelect }: Props) {
  const { face, change } = state;
  const rows = face?.parts?.rows ?? [], pins = face?.parts?.pins ?? [];
  const { dragAndDropHooks } = useDragAndDrop({
    isDisabled: !face?.is_own,
    getItems: (keys) => [...keys].map((key) => ({ "text/plain": String(key) })),
    onReorder: ({ keys, target }) => {
      const from = rows.findIndex((row) => keys.has(row.part)), over = rows.findIndex((row) => row.part === target.key);
      const row = rows[from];
      if (!row || over < 0) return;
      const before = target.dropPosition === "before" ? over : over + 1;
      void change({ do: "move", part: row.part, to: String(before > from ? before : before + 1) });
    },
  });
  return (
    <div className="parts scrolls">
      <GridList aria-label="Rows, in their order" items={rows.map((row) => ({ ...row, id: row.part }))} dragAndDropHooks={dragAndDropHooks}
        selectionMode="single" disallowEmptySelection={false} selectedKeys={[part.split("/")[0] ?? ""]}
        onSelectionChange={(keys) => { const [key] = keys === "all" ? [] : keys; if (key !== undefined) onSelect(String(key)); }}
        renderEmptyState={() => <p className="quiet">Nothing is on this overlay yet: put a reading on it.</p>}>
        {(row) => (
          <GridListItem textValue={nameOf(row)}>
            <Button slot="drag" aria-label={`Move ${nameOf(row)}`} className="grip">⋮</Button>
            <span className="row-name">{nameOf(row)}</span>
            {row.cells.map((cell) => (
              <Button key={cell.part} className="cell" onPress={() => { onSelect(cell.part); }} aria-pressed={cell.part === part}>{cell.title}</Button>
            ))}
          </GridListItem>
        )}
      </GridList>
      {pins.length > 0 && <h3>Pins</h3>}
      {pins.map((pin) => (
        <Button key={pin.part} className="cell" onPress={() => { onSelect(pin.part); }} aria-pressed={pin.part === part}>
          {pin.title || pin.kind} at {pin.x}, {pin.y}
        </Button>
      ))}
    </div>
  );
}
