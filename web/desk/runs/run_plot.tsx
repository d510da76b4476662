import { useEffect, useMemo, useRef, useState } from "react";
import { Button } from "react-aria-components";
import uPlot from "uplot";
import { Problem } from "../parts/problem.tsx";
import { colorOf, useIsDark } from "../parts/look.ts";
import { useAsked } from "../parts/use_asked.ts";
import type { RunLines } from "../wire/types.ts";
import { lengthWords } from "./words.ts";

/** Round steps of time, in seconds. */
const steps = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 43200];

export interface Span {
  from: number;
  to: number;
}

interface Props {
  run: number;
  /** null: all of it. */
  span: Span | null;
  readings: readonly string[];
  marks: readonly { at_s: number; about: string }[];
  onSpan: (span: Span | null) => void;
}

/** Lines over the run's time, with what they are under the pointer; dragged over, they show that span. */
function useLines(line: { x: number[]; y: number[] } | undefined, about: { title: string; unit: string; color: string; height: number }, props: Props, length: number) {
  const box = useRef<HTMLDivElement>(null), isDark = useIsDark();
  const { span, marks, onSpan } = props, { title, unit, color, height } = about;
  useEffect(() => {
    const element = box.current;
    if (!element || !line) return;
    const axis = { stroke: colorOf("--soft"), grid: { stroke: colorOf("--line"), width: 1 }, ticks: { stroke: colorOf("--line"), width: 1 } };
    const drawMarks = (plot: uPlot) => {
      plot.ctx.save();
      plot.ctx.strokeStyle = colorOf("--warn");
      plot.ctx.setLineDash([4, 4]);
      for (const { at_s: at } of marks) {
        const x = plot.valToPos(at, "x", true);
        if (x < plot.bbox.left || x > plot.bbox.left + plot.bbox.width) continue;
        plot.ctx.beginPath();
        plot.ctx.moveTo(x, plot.bbox.top);
        plot.ctx.lineTo(x, plot.bbox.top + plot.bbox.height);
        plot.ctx.stroke();
      }
      plot.ctx.restore();
    };
    const plot = new uPlot({
      width: element.clientWidth, height, pxAlign: 0,
      cursor: { drag: { x: true, y: false, setScale: false }, sync: { key: "run" } },
      scales: { x: { time: false, range: () => [span?.from ?? 0, span?.to ?? length] }, y: { range: (_, _least, most) => [0, most > 0 ? most * 1.08 : 1] } },
      axes: [{ ...axis, size: 30, incrs: steps, values: (_, ticks) => ticks.map((tick) => ((ticks[1] ?? 1) - (ticks[0] ?? 0) < 1 ? `${tick.toFixed(2)} s` : lengthWords(tick))) }, { ...axis, size: 62, values: (_, ticks) => ticks.map(String) }],
      series: [
        { label: "at", value: (_, at: number | null) => (at === null ? "–" : `${at.toFixed(2)} s`) },
        { label: title, stroke: colorOf(color), width: 1.2, points: { show: false }, value: (_, value: number | null) => (value === null ? "–" : `${value.toFixed(2)} ${unit}`) },
      ],
      hooks: {
        draw: [drawMarks],
        setSelect: [(drawn) => {
          const { left, width } = drawn.select;
          if (width > 4) onSpan({ from: drawn.posToVal(left, "x"), to: drawn.posToVal(left + width, "x") });
        }],
      },
    }, [line.x, line.y], element);
    const observer = new ResizeObserver(() => { plot.setSize({ width: element.clientWidth, height }); });
    observer.observe(element);
    return () => {
      observer.disconnect();
      plot.destroy();
    };
  }, [line, title, unit, color, height, span, length, marks, onSpan, isDark]);
  return box;
}

interface LineProps {
  line: { x: number[]; y: number[] } | undefined;
  title: string;
  unit: string;
  color: string;
  height: number;
  length: number;
  plot: Props;
}

function OneLine({ line, title, unit, color, height, length, plot }: LineProps) {
  const box = useLines(line, { title, unit, color, height }, plot, length);
  return <div className="run-line"><h3>{title}{unit && `, ${unit}`}</h3><div ref={box} role="img" aria-label={`${title} over the run's time`} /></div>;
}

/** Frame times and readings, all under the same time. */
export function RunPlot(props: Props) {
  const { run, span, readings, onSpan } = props;
  const [columns, setColumns] = useState(0);
  const frame = useRef<HTMLDivElement>(null);
  useEffect(() => { setColumns(Math.min(4000, Math.max(50, Math.round((frame.current?.clientWidth ?? 800) * window.devicePixelRatio)))); }, []);
  const question = useMemo(() => (columns === 0 ? null : {
    run, columns, readings: readings.join(","), ...(span ? { from_ms: Math.floor(span.from * 1000), to_ms: Math.ceil(span.to * 1000) } : {}),
  }), [run, columns, readings, span]);
  const { answer, error } = useAsked<RunLines>("/api/run/lines", question);
  const length = answer?.length_s ?? 1;
  return (
    <div className="run-plot" ref={frame}>
      <p className="quiet">
        {span ? `From ${lengthWords(span.from)} to ${lengthWords(span.to)}. ` : "Drag over a plot to look closer. "}
        {span && <Button onPress={() => { onSpan(null); }}>Whole run</Button>}
      </p>
      <Problem error={error} />
      <OneLine line={answer?.frames} title="Frame time" unit="ms" color="--frames" height={220} length={length} plot={props} />
      {answer?.readings.map((one) => (
        <OneLine key={one.id} line={one} title={one.title} unit={one.unit} color={`--${one.kind}`} height={120} length={length} plot={props} />
      ))}
    </div>
  );
}
