import { useEffect, useState } from "react";
import { Button, Tooltip, TooltipTrigger } from "react-aria-components";
import { ask } from "./ask.ts";
import type { Definitions } from "../wire/types.ts";

/** The definition that a figure has, by its id. */
export function definitionOf(id: string): string {
  if (id === "frame.average") return "Average frame rate";
  if (id.startsWith("frame.low")) return "1% low, 0.1% low";
  if (id.startsWith("stutter")) return "Stutter";
  return id === "frame.median" || id.startsWith("frame.percentile") ? "Percentile" : "";
}

let asked: Promise<Definitions | null> | null = null;

/** They are asked for once, however many names a page has. */
function useDefinitions(): Definitions | null {
  const [all, setAll] = useState<Definitions | null>(null);
  useEffect(() => {
    asked ??= ask<Definitions>("/api/definitions", {}).catch(() => (asked = null));
    void asked.then(setAll);
  }, []);
  return all;
}

/** What a figure means, under its name. */
export function Term({ name, of }: { name: string; of: string }) {
  const words = useDefinitions()?.definitions.find((one) => one.term === of)?.words;
  if (!words) return <span>{name}</span>;
  return (
    <TooltipTrigger delay={300}>
      <Button className="term" aria-label={`${name}: what it means`}>{name}</Button>
      <Tooltip className="tip">{words}</Tooltip>
    </TooltipTrigger>
  );
}
