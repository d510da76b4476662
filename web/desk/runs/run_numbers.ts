// Numbers of runs as people and the desk write them: "1-3,7".

export function runList(runs: readonly number[]): string {
  const parts: string[] = [];
  for (let i = 0; i < runs.length;) {
    let end = i;
    while (runs[end + 1] === (runs[end] ?? 0) + 1) ++end;
    parts.push(end > i ? `${runs[i] ?? 0}-${runs[end] ?? 0}` : String(runs[i] ?? 0));
    i = end + 1;
  }
  return parts.join(",");
}

/** Of an address, which anybody may have written. */
export function runsIn(text: string | null): number[] {
  const runs: number[] = [];
  for (const part of (text ?? "").split(",")) {
    const found = /^(\d{1,9})(?:-(\d{1,9}))?$/.exec(part);
    if (!found) continue;
    const first = Number(found[1]), last = Math.min(Number(found[2] ?? found[1]), first + 999);
    for (let run = first; run <= last; ++run) runs.push(run);
  }
  return runs;
}

export const groupsIn = (text: string | null): number[][] => (text ?? "").split(";").map(runsIn).filter((group) => group.length > 0);
export const groupList = (groups: readonly (readonly number[])[]) => groups.filter((group) => group.length > 0).map(runList).join(";");
