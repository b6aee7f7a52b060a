import { useQueryClient } from "@tanstack/react-query";
import { Refused, sayWhy } from "../api/client";
import { complain, type Made, there, useEdit } from "../api/edit";
import type { Answer, Site } from "../api/model";
import { siteQuery, useSite } from "../api/site";
import { Shelf, useKept } from "./kept";

/*
 * One store holds all that is typed and not yet sent, by site and thing. A draft is clean (nothing is kept
 * of it), dirty, sending, refused or clashing. Only commit sends one, and only discard or a commit that
 * went through ends it; docs/typing.md says which key and gesture means which.
 */

export type Texts = Record<string, string>;

export type DraftState = "clean" | "dirty" | "sending" | "refused" | "clashing";

/** Typing is what was typed over some texts, and what stood there when each was begun. */
type Typing = { typed: Partial<Texts>; base: Partial<Texts>; state: DraftState; refused?: Error };

const clean: Typing = { typed: {}, base: {}, state: "clean" };

/** What was on its way or refused before a reload is typed, and no more. */
const shelf = new Shelf<Typing>("drafts", ({ typed, base }) =>
  Object.keys(typed).length > 0 ? { typed, base, state: "dirty" } : undefined,
);

/** What is on its way, by the key of its draft: another view of the same thing waits for it. */
const underway = new Map<string, Promise<boolean>>();

/** A clash is a text that was typed here and changed elsewhere since. */
export type Clash = { field: string; mine: string; theirs: string };

const clashesOf = ({ typed, base }: Typing, now: Texts): Clash[] =>
  Object.entries(typed).flatMap(([field, mine]) => {
    const theirs = now[field] ?? "";
    return mine !== undefined && theirs !== base[field] && theirs !== mine ? [{ field, mine, theirs }] : [];
  });

/** differs tells whether what was typed is another than what stands there. */
const differs = ({ typed }: Typing, now: Texts | undefined) =>
  Object.entries(typed).some(([field, text]) => text !== now?.[field]);

/** Clashed ends a commit that would go over what was changed elsewhere. */
class Clashed extends Error {}

function without<V>(all: Record<string, V>, field: string): Record<string, V> {
  const { [field]: _, ...others } = all;
  return others;
}

/**
 * Commit says what is to be done with the texts: its words, of the texts as they are seen, and its edits, of
 * the newest site with the texts over it.
 */
export type Commit<T> = (
  texts: T,
) => Omit<Made, "of" | "inForm"> & { of: (now: Answer, texts: T) => ReturnType<Made["of"]> };

/**
 * useDraft keeps texts that are being typed apart from those of the site: they outlive a change in
 * another window, a refusal, a server that is away, another pick, another station, and a reload. `read`
 * finds the texts in the site, undefined where their thing is gone. A field without room for a word below
 * it has it told what was refused.
 */
export function useDraft<T extends Texts>(name: string, read: (site: Site) => T | undefined, tell = false) {
  const answer = useSite();
  const client = useQueryClient();
  const edit = useEdit();
  const [typing, keep] = useKept(shelf, name, clean);
  const key = `${answer.id}/${name}`;
  const now = read(answer.site);
  const current = () => shelf.get(key) ?? clean; // what was typed since the last render counts as well
  const put = (next: Typing) =>
    keep(
      Object.keys(next.typed).length === 0 && next.state !== "refused" && next.state !== "sending" ? undefined : next,
    );
  const newest = () => client.getQueryData(siteQuery(answer.id).queryKey) ?? answer;

  /** type takes what is typed into a field. */
  const type = (field: keyof T & string, text: string) => {
    const old = current();
    const stands = read(newest().site)?.[field] ?? "";
    const began = field in old.typed ? (old.base[field] ?? "") : stands;
    const state = old.state === "sending" ? "sending" : "dirty";
    // What is on its way keeps its texts until it has arrived, also where they are as they were.
    const same = text === stands && text === began && state !== "sending";
    put(
      same
        ? { typed: without(old.typed, field), base: without(old.base, field), state }
        : { typed: { ...old.typed, [field]: text }, base: { ...old.base, [field]: began }, state },
    );
  };

  /** discard forgets what was typed, of one field or of all. */
  const discard = (field?: string) => {
    const old = current();
    if (field === undefined) put({ ...clean, state: old.state === "sending" ? "sending" : "clean" });
    else put({ typed: without(old.typed, field), base: without(old.base, field), state: "dirty" });
  };

  /** mine says that what was typed goes over what was changed elsewhere; commit then sends it. */
  const mine = () => {
    const old = current();
    put({ ...old, base: { ...old.base, ...read(newest().site) }, state: "dirty", refused: undefined });
  };

  const once = async (make: Commit<T>): Promise<boolean> => {
    const sent = current();
    put({ ...sent, state: "sending", refused: undefined });
    try {
      const { of, ...said } = make({ ...there(read(newest().site)), ...sent.typed });
      await edit.make({
        ...said,
        inForm: true,
        of: (at) => {
          const stands = there(read(at.site));
          if (clashesOf(sent, stands).length > 0) throw new Clashed();
          return of(at, { ...stands, ...sent.typed });
        },
      });
      // What was typed while it was on its way stays.
      const left = current();
      const typed = Object.fromEntries(Object.entries(left.typed).filter(([f, text]) => sent.typed[f] !== text));
      const base = Object.fromEntries(Object.keys(typed).map((f) => [f, sent.typed[f] ?? left.base[f] ?? ""]));
      put({ typed, base, state: Object.keys(typed).length > 0 ? "dirty" : "clean" });
      return true;
    } catch (error) {
      const left = current();
      if (Object.keys(left.typed).length === 0 && Object.keys(sent.typed).length > 0) {
        put(clean); // it was discarded on the way
        return false;
      }
      if (error instanceof Clashed) put({ ...left, state: "clashing" });
      else put({ ...left, state: "refused", refused: error instanceof Error ? error : new Error(String(error)) });
      if (tell && !(error instanceof Clashed)) complain(error);
      return false;
    }
  };

  /**
   * commit sends what was typed, and is true when all of it has arrived. What is typed on the way is sent
   * after it. Where the same texts were changed elsewhere it asks first; a change elsewhere of anything
   * else is no reason to ask.
   */
  const commit = (make: Commit<T>): Promise<boolean> => {
    const before = underway.get(key);
    const run = before ? before.then(() => (Object.keys(current().typed).length > 0 ? once(make) : true)) : once(make);
    const tracked = run.finally(() => underway.get(key) === tracked && underway.delete(key));
    underway.set(key, tracked);
    return tracked;
  };

  const clashes = clashesOf(typing, now ?? {});
  return {
    values: now && { ...now, ...typing.typed },
    state: clashes.length > 0 && typing.state !== "sending" ? ("clashing" as const) : typing.state,
    dirty: differs(typing, now),
    /** isDirty tells it at once, also before what was typed is shown. */
    isDirty: () => differs(current(), read(newest().site)),
    clashes,
    sending: typing.state === "sending",
    refused: typing.refused && sayWhy(typing.refused),
    fault: (field: string) => (typing.refused instanceof Refused ? typing.refused.of(field) : undefined),
    /** the paths in the request of what was refused */
    paths: typing.refused instanceof Refused ? typing.refused.faults.map((f) => f.path) : [],
    type,
    discard,
    mine,
    commit,
  };
}
