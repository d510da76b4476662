// What the page shows is in its address, so that "back", a reload and a copied address do what they should.
import { placeIn } from "./own_address.ts";
import { useCallback, useMemo, useSyncExternalStore } from "react";

const listeners = new Set<() => void>();

function subscribe(listener: () => void) {
  listeners.add(listener);
  window.addEventListener("popstate", listener);
  return () => {
    listeners.delete(listener);
    window.removeEventListener("popstate", listener);
  };
}

export interface Step {
  path?: string;
  /** Parameters to change; null removes one. */
  set?: Record<string, string | null>;
  /** Without an entry of its own in the history. */
  replace?: boolean;
}

function goTo({ path, set, replace }: Step) {
  const next = new URL(window.location.href);
  if (path !== undefined) next.pathname = next.pathname.slice(0, next.pathname.lastIndexOf("/")) + placeIn(path);
  for (const [name, value] of Object.entries(set ?? {})) {
    if (value === null) next.searchParams.delete(name);
    else next.searchParams.set(name, value);
  }
  if (next.href === window.location.href) return;
  if (replace) window.history.replaceState(null, "", next);
  else window.history.pushState(null, "", next);
  for (const listener of listeners) listener();
}

export function useAddress() {
  const href = useSyncExternalStore(subscribe, () => window.location.href, () => "http://127.0.0.1/");
  const url = useMemo(() => new URL(href), [href]);
  const go = useCallback((step: Step) => { goTo(step); }, []);
  return { path: placeIn(url.pathname), parameters: url.searchParams, go };
}
