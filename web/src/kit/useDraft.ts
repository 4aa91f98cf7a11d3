/** What is typed and not sent yet: it outlives a reload of the page, on this device and in this sitting. */
import { useCallback, useEffect, useState } from "react";

export function useDraft<T>(store: string, blank: T): [T, (next: T) => void, () => void] {
  const [kept, setKept] = useState<{ store: string; draft: T }>(() => ({ store, draft: stored(store) ?? blank }));
  // Another page's draft is never shown here, nor kept as this one's.
  const draft = kept.store === store ? kept.draft : (stored<T>(store) ?? blank);
  const set = useCallback((next: T) => setKept({ store, draft: next }), [store]);
  useEffect(() => {
    if (kept.store === store) sessionStorage.setItem(store, JSON.stringify(kept.draft));
  }, [kept, store]);
  const clear = () => {
    setKept({ store, draft: blank });
    sessionStorage.removeItem(store);
  };
  return [draft, set, clear];
}

function stored<T>(store: string): T | null {
  try {
    return JSON.parse(sessionStorage.getItem(store) ?? "null") as T | null;
  } catch {
    return null;
  }
}
