import { useEffect, useRef } from "react";
import uPlot from "uplot";
import { colorOf, useIsDark } from "../parts/look.ts";
import { useLive } from "./live_provider.tsx";

const seconds = 10;

/** Frame times as they come, over the last ten seconds. */
export function FrameStrip({ pid }: { pid: number }) {
  const box = useRef<HTMLDivElement>(null);
  const { framesOf } = useLive();
  const isDark = useIsDark();
  const frames = useRef(framesOf);
  useEffect(() => { frames.current = framesOf; }, [framesOf]);

  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const axis = { stroke: colorOf("--soft"), grid: { stroke: colorOf("--line"), width: 1 }, ticks: { stroke: colorOf("--line"), width: 1 } };
    const plot = new uPlot({
      width: element.clientWidth, height: 180, legend: { show: false }, cursor: { show: false }, pxAlign: 0,
      scales: { x: { time: false, range: () => [-seconds, 0] }, y: { range: (_, _least, most) => [0, Math.max(20, most * 1.1)] } },
      axes: [{ ...axis, values: (_, ticks) => ticks.map((tick) => `${tick} s`) }, { ...axis, size: 56, values: (_, ticks) => ticks.map((tick) => `${tick} ms`) }],
      series: [{}, { stroke: colorOf("--frames"), width: 1.5, points: { show: false } }],
    }, [[], []], element);
    let drawn = 0, request = 0;
    const draw = (now: number) => {
      request = requestAnimationFrame(draw);
      if (now - drawn < 33) return;
      drawn = now;
      const { at, ms } = frames.current(pid);
      const newest = at.at(-1) ?? 0, first = at.findIndex((one) => one > newest - seconds * 1000);
      if (first >= 0) plot.setData([at.slice(first).map((one) => (one - newest) / 1000), ms.slice(first)]);
    };
    request = requestAnimationFrame(draw);
    const observer = new ResizeObserver(() => { plot.setSize({ width: element.clientWidth, height: 180 }); });
    observer.observe(element);
    return () => {
      cancelAnimationFrame(request);
      observer.disconnect();
      plot.destroy();
    };
  }, [pid, isDark]);

  return <div className="frame-strip" ref={box} role="img" aria-label="Frame times of the last ten seconds" />;
}
