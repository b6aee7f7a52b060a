import { notifyManager, type QueryClient, queryOptions, useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useMemo, useSyncExternalStore } from "react";
import { notice } from "../parts/notice";
import { hearCheck } from "./checks";
import { api, must, Refused, sayWhy } from "./client";
import type { Answer, By, CheckState, Edit, SurveyState } from "./model";
import { hearSurvey } from "./survey";

export const sitesQuery = queryOptions({
  queryKey: ["sites"],
  queryFn: async () => must(await api.GET("/api/sites")),
});

export function siteQuery(id: string) {
  return queryOptions({
    queryKey: ["site", id],
    queryFn: async () => must(await api.GET("/api/sites/{id}", { params: { path: { id } } })),
  });
}

const Open = createContext<Answer | undefined>(undefined);

/** OpenSite gives the open site to everything below the shell. */
export const OpenSite = Open.Provider;

/** useSiteId is the open site's, "" where none is open. */
export function useSiteId(): string {
  return useContext(Open)?.id ?? "";
}

/** useSite is the open site; views below the shell are only shown once it is there. */
export function useSite(): Answer {
  const open = useContext(Open);
  if (!open) throw new Error("no site is open");
  return open;
}

/** usePlan asks for suggestions of one half or both; they belong to a version of the site. */
export function usePlan(half: "addresses" | "ports" | "both", enabled: boolean) {
  const site = useSite();
  return useQuery({
    queryKey: ["suggest", site.id, half, site.version],
    queryFn: async () =>
      must(
        await api.GET("/api/sites/{id}/suggest", {
          params: { path: { id: site.id }, query: half === "both" ? {} : { half } },
        }),
      ),
    enabled,
  });
}

/** useRoom gives why an interface cannot have some addresses, by address. */
export function useRoom(iface: string | undefined, by: By) {
  const site = useSite();
  const { data } = useQuery({
    queryKey: ["room", site.id, iface, by, site.version],
    queryFn: async () =>
      must(
        await api.GET("/api/sites/{id}/room", {
          params: { path: { id: site.id }, query: { interface: iface ?? "", by } },
        }),
      ),
    enabled: iface !== undefined,
    // Of the same interface the last answer serves until the next one is there.
    placeholderData: (last, query) => (query?.queryKey[2] === iface ? last : undefined),
  });
  return useMemo(
    () => (iface === undefined || !data ? undefined : new Map(data.map((t) => [t.address, t.why]))),
    [iface, data],
  );
}

// Changes of one site go one after the other, each with the version that the one
// before it made.
const queues = new Map<string, Promise<unknown>>();
let under = 0;
const watching = new Set<() => void>();

function underway(by: 1 | -1) {
  under += by;
  for (const tell of watching) tell();
}

/** useBusy tells whether a change is on its way. */
export function useBusy(): boolean {
  return useSyncExternalStore(
    (tell) => {
      watching.add(tell);
      return () => watching.delete(tell);
    },
    () => under > 0,
  );
}

async function inTurn<T>(id: string, run: () => Promise<T>): Promise<T> {
  underway(1);
  const next = (queues.get(id) ?? Promise.resolve()).then(run, run);
  queues.set(
    id,
    next.catch(() => undefined),
  );
  try {
    return await next;
  } finally {
    underway(-1);
  }
}

const seenOf = (client: QueryClient, id: string) => client.getQueryData(siteQuery(id).queryKey);
const versionOf = (client: QueryClient, id: string) => seenOf(client, id)?.version ?? 0;

/**
 * keep puts an answer in the cache unless a newer one is there, and is done when the page shows it: what
 * is said after it, and the next key, then belong to what is seen.
 */
async function keep(client: QueryClient, answer: Answer) {
  if (answer.version >= versionOf(client, answer.id)) client.setQueryData(siteQuery(answer.id).queryKey, answer);
  client.invalidateQueries({ queryKey: sitesQuery.queryKey });
  await new Promise<void>((shown) => notifyManager.schedule(shown));
}

/** thisWindow is how this window calls itself: what it did itself is never in its own way. */
const thisWindow = crypto.randomUUID();

/**
 * A change is made on top of the version that its maker saw: of a preview or suggestion the one it was
 * worked out from. A form says itself why it was refused.
 */
export type Change = { edits: Edit[]; title?: string; says?: string; version?: number; inForm?: boolean };

async function sendEdits(id: string, { edits, title }: Change, version: number) {
  const params = { path: { id } };
  try {
    return must(
      await api.POST("/api/sites/{id}/edits", { params, body: { edits, title, version, window: thisWindow } }),
    );
  } catch (error) {
    if (!(error instanceof Refused) || error.status !== 409 || error.faults.length === 0) throw error;
    const done = error.faults.map((f) => f.says).join(", ");
    throw new Refused(
      409,
      `Meanwhile the same was changed elsewhere: ${done}. You see it now; make your change again if it is still right.`,
      error.faults,
    );
  }
}

/**
 * complain says why something was not done. Where the database was removed under the program,
 * what it still holds can be written to a new file.
 */
export function complain(error: unknown) {
  const gone = error instanceof Refused && error.of("database") === "gone";
  notice.warn(sayWhy(error), gone ? { label: "Write it to a new file", run: rescue } : undefined);
}

async function rescue() {
  try {
    const { path, missing } = must(await api.POST("/api/rescue"));
    if (missing) notice.warn(`What could be saved is in ${path} now. ${missing}`);
    else notice.say(`All that was saved is in ${path} now, and the program goes on with it.`);
  } catch (error) {
    notice.warn(sayWhy(error));
  }
}

// Presses of one version that are on their way.
const pressed = new Set<string>();

type Edited = Answer & { made: string[]; merged: string[] };
export type Editor = {
  /** make changes the site, and throws what was refused after it has said so. */
  make: (change: Change) => Promise<Edited>;
  /** mutate changes the site; what was refused has been said. */
  mutate: (change: Change, then?: { onSuccess?: (answer: Edited) => void; onError?: () => void }) => void;
};

/** useEdit changes the open site. What was done is said at the foot of the page, with a way back. */
export function useEdit(): Editor {
  return useEditOf(useSiteId());
}

/** useEditOf changes a site that the page has fetched, as useEdit does. */
export function useEditOf(id: string): Editor {
  const client = useQueryClient();
  return useMemo(() => {
    const make = async (change: Change) => {
      const version = change.version ?? versionOf(client, id);
      try {
        const answer = await inTurn(id, async () => {
          const made = await sendEdits(id, change, version);
          await keep(client, made); // before the next change takes its turn
          return made;
        });
        const entry = answer.undoEntry;
        const back = { label: "Undo", run: () => turn(client, id, { way: "undo", entry, title: answer.undo }) };
        if (answer.merged.length > 0)
          notice.say(`Done elsewhere meanwhile: ${answer.merged.join(", ")}. Your change went on top.`, back);
        else if (change.says) notice.say(change.says, back);
        return answer;
      } catch (error) {
        if (error instanceof Refused && error.status === 409)
          client.invalidateQueries({ queryKey: siteQuery(id).queryKey });
        if (!change.inForm) complain(error);
        throw error;
      }
    };
    return {
      make,
      mutate: (change, then) => {
        const press = change.version === undefined ? "" : `${id} ${change.version} ${JSON.stringify(change.edits)}`;
        if (pressed.has(press)) return; // the same, pressed twice
        if (press) pressed.add(press);
        make(change)
          .then(then?.onSuccess, () => then?.onError?.())
          .finally(() => pressed.delete(press));
      },
    };
  }, [client, id]);
}

type Turn = { way: "undo" | "redo"; entry?: number; title?: string };

/** turn takes back an entry of the journal, or makes it again: the one that is named, else the one that the page shows. */
async function turn(client: QueryClient, id: string, { way, entry, title }: Turn) {
  try {
    const says = await inTurn(id, async () => {
      const seen = seenOf(client, id);
      const shown = way === "undo" ? seen?.undoEntry : seen?.redoEntry;
      const name = title ?? (way === "undo" ? seen?.undo : seen?.redo);
      const body = { version: versionOf(client, id), entry: entry ?? shown, window: thisWindow };
      const params = { params: { path: { id } }, body };
      await keep(
        client,
        must(
          way === "undo"
            ? await api.POST("/api/sites/{id}/undo", params)
            : await api.POST("/api/sites/{id}/redo", params),
        ),
      );
      return `${way === "undo" ? "Taken back" : "Done again"}${name ? `: ${name}` : ""}.`;
    });
    notice.say(says);
  } catch (error) {
    client.invalidateQueries({ queryKey: siteQuery(id).queryKey });
    const done = error instanceof Refused && error.status === 409 ? error.faults.map((f) => f.says) : [];
    if (done.length === 0) return complain(error);
    notice.warn(`That cannot be taken back alone: since then the same was changed (${done.join(", ")}).`);
  }
}

/** useUndo takes back what the page shows as last, or makes it again. */
export function useUndo() {
  const id = useSiteId();
  const client = useQueryClient();
  return useMemo(
    () => ({ undo: () => turn(client, id, { way: "undo" }), redo: () => turn(client, id, { way: "redo" }) }),
    [client, id],
  );
}

type News = { id: string; version?: number; survey?: SurveyState; check?: CheckState };

/**
 * useNews looks again at what other windows change. Only a window in sight listens: a browser
 * keeps few connections to one server, and each listener holds one. What was told while nobody
 * listened is fetched when the stream is back.
 */
export function useNews() {
  const client = useQueryClient();
  useEffect(() => {
    let source: EventSource | undefined;
    let again: ReturnType<typeof setTimeout> | undefined;
    let missed = false;
    const hear = (event: MessageEvent<string>) => {
      const { id, version = 0, survey, check }: News = JSON.parse(event.data);
      if (survey) hearSurvey(client, id, survey);
      if (check) hearCheck(client, id, check);
      if (!version) return;
      if (version < 0 || version > versionOf(client, id))
        client.invalidateQueries({ queryKey: siteQuery(id).queryKey });
      client.invalidateQueries({ queryKey: sitesQuery.queryKey });
    };
    const hush = () => {
      clearTimeout(again);
      source?.close();
      source = undefined;
      missed = true;
    };
    const listen = () => {
      if (document.visibilityState !== "visible") return hush();
      if (source) return;
      source = new EventSource("/api/events");
      source.onmessage = hear;
      source.onopen = () => {
        if (missed) client.invalidateQueries();
        missed = false;
      };
      source.onerror = () => {
        missed = true;
        if (source?.readyState !== EventSource.CLOSED) return; // it tries again by itself
        hush();
        again = setTimeout(listen, 15_000);
      };
    };
    listen();
    document.addEventListener("visibilitychange", listen);
    window.addEventListener("pagehide", hush);
    window.addEventListener("pageshow", listen);
    return () => {
      hush();
      document.removeEventListener("visibilitychange", listen);
      window.removeEventListener("pagehide", hush);
      window.removeEventListener("pageshow", listen);
    };
  }, [client]);
}
