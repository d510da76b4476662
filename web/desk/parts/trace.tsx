/** The recent past of a number as a small line; says nothing that the value beside it doesn't. */
export function Trace({ values, kind }: { values: readonly number[]; kind: string }) {
  const width = 48, height = 16;
  if (values.length < 2) return <svg className="trace" width={width} height={height} aria-hidden="true" />;
  const least = Math.min(...values), most = Math.max(...values), span = most - least || 1;
  const points = values.map((value, i) =>
    `${((i / (values.length - 1)) * width).toFixed(1)},${(height - 2 - ((value - least) / span) * (height - 4)).toFixed(1)}`);
  return (
    <svg className={`trace kind-${kind}`} width={width} height={height} aria-hidden="true">
      <polyline points={points.join(" ")} />
    </svg>
  );
}
