import { useCallback, useState, useSyncExternalStore } from "react";
import { useSiteId } from "../api/site";
import { notice } from "./notice";

/** What a shelf is called in the tab's store. */
const stored = (name: string) => `vestpin ${name}`;

/**
 * Shelf keeps values by name for as long as the window is. What was typed, pasted or chosen outlives
 * the view that it was typed in: another pick or another station must not lose it. A shelf with a name
 * outlives a reload, and signing in again, as well.
 */
export class Shelf<T> {
  private readonly values: Map<string, T>;
  private readonly heard = new Map<string, Set<() => void>>();
  private full = false;

  constructor(
    private readonly name?: string,
    /** what is kept of a value over a reload, undefined for nothing */
    private readonly store: (value: T) => T | undefined = (value) => value,
  ) {
    this.values = new Map(name ? this.load(name) : []);
  }

  get(key: string): T | undefined {
    return this.values.get(key);
  }

  set(key: string, value: T | undefined) {
    if (value === undefined) this.values.delete(key);
    else this.values.set(key, value);
    this.save();
    for (const tell of this.heard.get(key) ?? []) tell();
  }

  listen(key: string, tell: () => void): () => void {
    const all = this.heard.get(key) ?? new Set();
    this.heard.set(key, all.add(tell));
    return () => {
      all.delete(tell);
    };
  }

  private load(name: string): [string, T][] {
    try {
      return JSON.parse(sessionStorage.getItem(stored(name)) ?? "[]");
    } catch {
      return []; // of another version of the page
    }
  }

  private save() {
    if (!this.name) return;
    const all = [...this.values].flatMap(([key, value]) => {
      const kept = this.store(value);
      return kept === undefined ? [] : [[key, kept]];
    });
    try {
      sessionStorage.setItem(stored(this.name), JSON.stringify(all));
      this.full = false;
    } catch {
      sessionStorage.removeItem(stored(this.name));
      if (!this.full)
        notice.warn("More is typed than this browser keeps over a reload: save it before you leave the page.");
      this.full = true;
    }
  }
}

const forms = new Shelf<object>("forms");

/**
 * useForm is what is typed into a form that makes something new. It outlives a reload, and Back; `end`
 * forgets it. Kept tells whether something was typed before the form was opened.
 */
export function useForm<T extends object>(name: string, first: T) {
  const [typed, keep] = useKept<object>(forms, name, first);
  const [kept] = useState(typed !== first);
  const t: T = { ...first, ...typed };
  return { t, set: (part: Partial<T>) => keep({ ...t, ...part }), kept, end: () => keep(undefined) };
}

/** useKept is a state of the open site on a shelf; it is there again when its view is shown again. */
export function useKept<T>(shelf: Shelf<T>, name: string, first: T): [T, (next: T | undefined) => void] {
  const key = `${useSiteId()}/${name}`;
  const listen = useCallback((tell: () => void) => shelf.listen(key, tell), [shelf, key]);
  const value = useSyncExternalStore(listen, () => shelf.get(key));
  const set = useCallback((next: T | undefined) => shelf.set(key, next), [shelf, key]);
  return [value ?? first, set];
}
