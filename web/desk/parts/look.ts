// The page's look, for what is drawn without style sheets.
import { useSyncExternalStore } from "react";

export const colorOf = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

const dark = () => matchMedia("(prefers-color-scheme: dark)");
const onLook = (changed: () => void) => {
  const query = dark();
  query.addEventListener("change", changed);
  return () => { query.removeEventListener("change", changed); };
};

export const isDark = () => dark().matches;
export const useIsDark = () => useSyncExternalStore(onLook, isDark, () => false);
