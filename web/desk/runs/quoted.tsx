import { Term } from "../parts/term.tsx";
import type { RunDetails, RunInsight } from "../wire/types.ts";
import { Figure } from "./figure.tsx";

interface Props {
  insight: RunInsight;
  details: RunDetails | null;
}

/** The figures that people quote, with how sure each is. */
export function Quoted({ insight, details }: Props) {
  const { statistics } = insight;
  const low = (share: string) => statistics.lows.find((one) => one.share === share && one.definition === "mean of the slowest");
  const sureOf = (figure: string) => {
    const one = details?.intervals.find((interval) => interval.figure === figure);
    if (!one) return null;
    return one.fps ? <small>95 %: {one.fps[0]?.toFixed(1)} to {one.fps[1]?.toFixed(1)}</small> : <small className="reason" title={one.reason}>no interval: {one.reason}</small>;
  };
  const figure = (name: string, of: string, value: number | null | undefined, unit: string, digits: number, sure: string, mark = false) => (
    <div className="figure" key={name}>
      <Term name={name} of={of} />
      <b><Figure value={value} digits={digits} mark={mark} /> <small>{unit}</small></b>
      {sure && sureOf(sure)}
    </div>
  );
  return (
    <div className="figures quoted">
      {figure("average", "Average frame rate", statistics.average_fps, "FPS", 1, "average")}
      {["1%", "0.1%"].map((share) => figure(`${share} low`, "1% low, 0.1% low", low(share)?.fps, "FPS", 1, `${share} low`, low(share)?.enough_frames === false))}
      {figure("median", "Percentile", statistics.median_ms, "ms", 2, "")}
      {figure("longest", "Frame time", statistics.longest_ms, "ms", 2, "")}
    </div>
  );
}
