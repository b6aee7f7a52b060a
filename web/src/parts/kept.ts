import { useCallback, useSyncExternalStore } from "react";
import { useSiteId } from "../api/site";

/**
 * Shelf keeps values by name for as long as the window is. What was typed, pasted or chosen outlives
 * the view that it was typed in: another pick or another station must not lose it.
 */
export class Shelf<T> {
  private readonly values = new Map<string, T>();
  private readonly heard = new Map<string, Set<() => void>>();

  get(key: string): T | undefined {
    return this.values.get(key);
  }

  set(key: string, value: T | undefined) {
    if (value === undefined) this.values.delete(key);
    else this.values.set(key, value);
    for (const tell of this.heard.get(key) ?? []) tell();
  }

  listen(key: string, tell: () => void): () => void {
    const all = this.heard.get(key) ?? new Set();
    this.heard.set(key, all.add(tell));
    return () => {
      all.delete(tell);
    };
  }
}

/** useKept is a state of the open site on a shelf; it is there again when its view is shown again. */
export function useKept<T>(shelf: Shelf<T>, name: string, first: T): [T, (next: T | undefined) => void] {
  const key = `${useSiteId()}/${name}`;
  const listen = useCallback((tell: () => void) => shelf.listen(key, tell), [shelf, key]);
  const value = useSyncExternalStore(listen, () => shelf.get(key));
  const set = useCallback((next: T | undefined) => shelf.set(key, next), [shelf, key]);
  return [value ?? first, set];
}
