// The settings file: the desk has it; every change is written at once.
import { useCallback, useState } from "react";
import { type DeskError, asDeskError, tell } from "../parts/ask.ts";
import { useAsked } from "../parts/use_asked.ts";
import type { FileKey, SettingsAnswer } from "../wire/types.ts";

const tableIn = (value: unknown) => (typeof value === "object" && value !== null ? (value as Record<string, unknown>) : {});

export const keyName = (key: FileKey) => (key.table === "" ? key.name : `${key.table}.${key.name}`);

/** As one would type it; "" where it has its default. */
export function valueOf(settings: SettingsAnswer, key: FileKey): string {
  const values = settings.values as Record<string, unknown>;
  const value = (key.table === "" ? values : tableIn(values[key.table]))[key.name];
  if (value === undefined || value === null) return "";
  return typeof value === "string" ? value : JSON.stringify(value);
}

export function useSettings() {
  const { answer, error } = useAsked<SettingsAnswer>("/api/settings", {}, 3000);
  const [told, setTold] = useState<SettingsAnswer | null>(null), [wrong, setWrong] = useState<DeskError | null>(null);
  const send = useCallback(async (path: string, body: object) => {
    try {
      setTold(await tell<SettingsAnswer>(path, body));
      setWrong(null);
      return true;
    } catch (reason) {
      setWrong(asDeskError(reason));
      return false;
    }
  }, []);
  const [seen, setSeen] = useState(answer);
  if (answer !== seen) {  // what the desk said last, whichever way
    setSeen(answer);
    setTold(null);
  }
  const set = useCallback((key: FileKey, value: string) => send("/api/settings", value === "" ? { key: keyName(key) } : { key: keyName(key), value }), [send]);
  return { settings: told ?? answer, error: error ?? wrong, set, send };
}
export type SettingsState = ReturnType<typeof useSettings>;
