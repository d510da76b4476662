// Files that the desk makes, kept by the browser.
import { useCallback, useState } from "react";
import { type DeskError, asDeskError, receive } from "../parts/ask.ts";
import { isDark } from "../parts/look.ts";

export function useSave() {
  const [error, setError] = useState<DeskError | null>(null);
  const [isBusy, setBusy] = useState(false);
  const save = useCallback(async (question: Record<string, string>) => {
    setBusy(true);
    try {
      const { bytes, name } = await receive("/api/share", question);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(bytes);
      link.download = name;
      link.click();
      window.setTimeout(() => { URL.revokeObjectURL(link.href); }, 10_000);
      setError(null);
    } catch (reason) {
      setError(asDeskError(reason));
    } finally {
      setBusy(false);
    }
  }, []);
  return { save, error, isBusy };
}

export const look = () => (isDark() ? "dark" : "light");
