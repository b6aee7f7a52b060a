import { type QueryClient, queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { useParams } from "react-router";
import { useNotice } from "../parts/notice";
import { api, must, Refused, sayWhy } from "./client";
import { type Answer, type By, type Edit, fillAnswer, type Suggestion, type SurveyState } from "./model";
import { hearSurvey } from "./survey";
import { touches } from "./touches";

export const siteKey = (id: string) => ["site", id];

export const sitesQuery = queryOptions({
  queryKey: ["sites"],
  queryFn: async () => must(await api.GET("/api/sites")),
});

export function siteQuery(id: string) {
  return queryOptions({
    queryKey: siteKey(id),
    queryFn: async () => fillAnswer(must(await api.GET("/api/sites/{id}", { params: { path: { id } } }))),
  });
}

/** useSiteId is the site of the page's address. */
export function useSiteId(): string {
  return useParams().site ?? "";
}

/** useSite is the open site; views below the shell are only shown once it is there. */
export function useSite(): Answer {
  const { data } = useQuery(siteQuery(useSiteId()));
  if (!data) throw new Error("the site is not loaded yet");
  return data;
}

/** usePlan asks for suggestions of one half; they belong to a version of the site. */
export function usePlan(half: "addresses" | "ports", enabled: boolean) {
  const site = useSite();
  return useQuery({
    queryKey: ["suggest", site.id, half, site.version],
    queryFn: async () =>
      must(
        await api.GET("/api/sites/{id}/suggest", { params: { path: { id: site.id }, query: { half } } }),
      ) as unknown as Suggestion,
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
  });
  return iface === undefined || !data ? undefined : new Map(data.map((t) => [t.address, t.why]));
}

// Changes of one site go one after the other, each with the version that the one
// before it made.
const queues = new Map<string, Promise<unknown>>();

function inTurn<T>(id: string, run: () => Promise<T>): Promise<T> {
  const next = (queues.get(id) ?? Promise.resolve()).then(run, run);
  queues.set(
    id,
    next.catch(() => undefined),
  );
  return next;
}

function versionOf(client: QueryClient, id: string): number {
  return client.getQueryData<Answer>(siteKey(id))?.version ?? 0;
}

/** keep puts an answer in the cache unless a newer one is there. */
function keep(client: QueryClient, answer: Answer) {
  if (answer.version >= versionOf(client, answer.id)) client.setQueryData(siteKey(answer.id), answer);
  client.invalidateQueries({ queryKey: ["sites"] });
}

export type Change = { edits: Edit[]; title?: string; says?: string };

type Outcome = { answer: Answer; merged: string[] };

async function sendEdits(client: QueryClient, id: string, change: Change): Promise<Outcome> {
  const body = { edits: change.edits, title: change.title };
  const send = async (version: number) =>
    fillAnswer(
      must(await api.POST("/api/sites/{id}/edits", { params: { path: { id } }, body: { ...body, version } as never })),
    );
  try {
    return { answer: await send(versionOf(client, id)), merged: [] };
  } catch (error) {
    if (!(error instanceof Refused) || error.status !== 409) throw error;
    const mine = new Set(change.edits.map(touches));
    const theirs = error.faults.flatMap((f) => (Array.isArray(f.value) ? f.value : []));
    const fresh = await client.fetchQuery({ ...siteQuery(id), staleTime: 0 });
    const done = error.faults.map((f) => f.says).join(", ");
    if (theirs.length === 0 || theirs.some((t) => mine.has(t)))
      throw new Refused(
        409,
        `Another window changed the same thing (${done}). You see it now; make your change again if it is still right.`,
        [],
      );
    return { answer: await send(fresh.version), merged: error.faults.map((f) => f.says) };
  }
}

/** useEdit changes the open site. What was done is said at the foot of the page, with a way back. */
export function useEdit() {
  const id = useSiteId();
  const client = useQueryClient();
  const notice = useNotice();
  const undo = useUndo();
  return useMutation({
    mutationFn: (change: Change) =>
      inTurn(id, async () => {
        const { answer, merged } = await sendEdits(client, id, change);
        keep(client, answer); // before the next change takes its turn
        return merged;
      }),
    onSuccess: (merged, change) => {
      if (merged.length > 0) notice.say(`Another window did: ${merged.join(", ")}. Your change went on top.`);
      else if (change.says) notice.say(change.says, { label: "Undo", run: () => undo.mutate("undo") });
    },
    onError: (error) => notice.warn(sayWhy(error)),
  });
}

/** useUndo goes back or forth through the journal. */
export function useUndo() {
  const id = useSiteId();
  const client = useQueryClient();
  const notice = useNotice();
  return useMutation({
    mutationFn: (way: "undo" | "redo") =>
      inTurn(id, async () => {
        const before = client.getQueryData<Answer>(siteKey(id));
        const title = way === "undo" ? before?.undo : before?.redo;
        const body = { version: versionOf(client, id) };
        const params = { params: { path: { id } }, body };
        const answer = fillAnswer(
          must(
            way === "undo"
              ? await api.POST("/api/sites/{id}/undo", params)
              : await api.POST("/api/sites/{id}/redo", params),
          ),
        );
        keep(client, answer);
        return `${way === "undo" ? "Taken back" : "Done again"}: ${title}.`;
      }),
    onSuccess: (says) => notice.say(says),
    onError: (error) => {
      client.invalidateQueries({ queryKey: siteKey(id) });
      notice.warn(sayWhy(error));
    },
  });
}

/**
 * useNews looks again at what other windows change. Only a window in sight listens: a browser
 * keeps few connections to one server, and each listener holds one.
 */
export function useNews() {
  const client = useQueryClient();
  useEffect(() => {
    let source: EventSource | undefined;
    const hear = (event: MessageEvent<string>) => {
      const {
        id,
        version = 0,
        survey,
      } = JSON.parse(event.data) as { id: string; version?: number; survey?: SurveyState };
      if (survey) hearSurvey(client, id, survey);
      if (!version) return;
      if (version > versionOf(client, id)) client.invalidateQueries({ queryKey: siteKey(id) });
      client.invalidateQueries({ queryKey: ["sites"] });
    };
    const hush = () => {
      source?.close();
      source = undefined;
    };
    const listen = () => {
      if (document.visibilityState !== "visible") return hush();
      if (source) return;
      source = new EventSource("/api/events");
      source.onmessage = hear;
    };
    const back = () => {
      if (document.visibilityState === "visible" && !source) client.invalidateQueries();
      listen();
    };
    listen();
    document.addEventListener("visibilitychange", back);
    window.addEventListener("pagehide", hush);
    window.addEventListener("pageshow", back);
    return () => {
      hush();
      document.removeEventListener("visibilitychange", back);
      window.removeEventListener("pagehide", hush);
      window.removeEventListener("pageshow", back);
    };
  }, [client]);
}
