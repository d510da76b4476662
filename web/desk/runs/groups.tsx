import { Button, GridList, GridListItem, isTextDropItem, useDragAndDrop } from "react-aria-components";

interface Props {
  groups: readonly (readonly number[])[];
  names: readonly string[];
  onChange: (groups: number[][]) => void;
}

const kind = "text/x-idlemeter-run";

/** The runs of the groups, dragged from one to the other with the pointer or the keyboard. */
export function Groups({ groups, names, onChange }: Props) {
  const move = (runs: readonly number[], to: number) => {
    const next = groups.map((group) => group.filter((run) => !runs.includes(run)));
    next[to] = [...(next[to] ?? []), ...runs].sort((a, b) => a - b);
    onChange(next);
  };
  return (
    <div className="groups" role="group" aria-label="Groups of runs">
      {[...groups, []].map((group, i) => (
        <Group key={i} runs={group} name={i < groups.length ? names[i] || `Group ${i + 1}` : "A new group"} onDrop={(runs) => { move(runs, i); }} />
      ))}
    </div>
  );
}

function Group({ runs, name, onDrop }: { runs: readonly number[]; name: string; onDrop: (runs: number[]) => void }) {
  const take = async (items: readonly { kind: string }[]) => {
    const dropped: number[] = [];
    for (const item of items) if (isTextDropItem(item as never)) dropped.push(Number(await (item as unknown as { getText: (type: string) => Promise<string> }).getText(kind)));
    onDrop(dropped.filter((run) => Number.isInteger(run)));
  };
  const { dragAndDropHooks } = useDragAndDrop({
    getItems: (keys) => [...keys].map((key) => ({ [kind]: String(key), "text/plain": `run ${key}` })),
    acceptedDragTypes: [kind],
    getDropOperation: () => "move",
    onRootDrop: (event) => void take(event.items),
  });
  return (
    <div className="group">
      <h3>{name}</h3>
      <GridList aria-label={`${name}: its runs`} items={runs.map((run) => ({ id: run }))} selectionMode="multiple" dragAndDropHooks={dragAndDropHooks}
        renderEmptyState={() => <span className="quiet">drop runs here</span>}>
        {({ id }) => <GridListItem textValue={`run ${id}`}><Button slot="drag" className="grip" aria-label={`Move run ${id}`}>⋮</Button>run {id}</GridListItem>}
      </GridList>
    </div>
  );
}
