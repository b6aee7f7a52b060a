import { type QueryClient, queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useParams } from "react-router";
import { useNotice } from "../parts/notice";
import { api, must, Refused, sayWhy } from "./client";
import type { Answer, By, Edit, SurveyState } from "./model";
import { hearSurvey } from "./survey";

export const siteKey = (id: string) => ["site", id];

export const sitesQuery = queryOptions({
  queryKey: ["sites"],
  queryFn: async () => must(await api.GET("/api/sites")),
});

export function siteQuery(id: string) {
  return queryOptions({
    queryKey: siteKey(id),
    queryFn: async () => must(await api.GET("/api/sites/{id}", { params: { path: { id } } })),
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
      must(await api.GET("/api/sites/{id}/suggest", { params: { path: { id: site.id }, query: { half } } })),
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

/** thisWindow is how this window calls itself: what it did itself is never in its own way. */
const thisWindow = crypto.randomUUID();

/**
 * A change is made on top of the version that its maker saw: of a form the one it was opened with,
 * of a preview or suggestion the one it was worked out from. A form says itself why it was refused.
 */
export type Change = { edits: Edit[]; title?: string; says?: string; version?: number; inForm?: boolean };

const whatToDo = "You see it now; make your change again if it is still right.";
const whatToDoInForm =
  "Fields that you did not touch show what is there now. Look at them, and send the form again to keep what you typed.";

async function sendEdits(id: string, { edits, title, inForm }: Change, version: number) {
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
      `Meanwhile another window changed the same: ${done}. ${inForm ? whatToDoInForm : whatToDo}`,
      [],
    );
  }
}

/**
 * useComplain says why something was not done. Where the database was removed under the program,
 * what it still holds can be written to a new file.
 */
export function useComplain() {
  const notice = useNotice();
  const rescue = async () => {
    try {
      const { path, missing } = must(await api.POST("/api/rescue"));
      if (missing) notice.warn(`What could be saved is in ${path} now. ${missing}`);
      else notice.say(`All that was saved is in ${path} now, and the program goes on with it.`);
    } catch (error) {
      notice.warn(sayWhy(error));
    }
  };
  return (error: unknown) => {
    const gone = error instanceof Refused && error.of("database") === "gone";
    notice.warn(sayWhy(error), gone ? { label: "Write it to a new file", run: rescue } : undefined);
  };
}

/** useEdit changes the open site. What was done is said at the foot of the page, with a way back. */
export function useEdit() {
  const id = useSiteId();
  const client = useQueryClient();
  const notice = useNotice();
  const complain = useComplain();
  const undo = useUndo();
  return useMutation({
    mutationFn: (change: Change) => {
      const version = change.version ?? versionOf(client, id);
      return inTurn(id, async () => {
        const answer = await sendEdits(id, change, version);
        keep(client, answer); // before the next change takes its turn
        return answer;
      });
    },
    onSuccess: (answer, change) => {
      const back = { label: "Undo", run: () => undo.mutate({ way: "undo", entry: answer.undoEntry }) };
      if (answer.merged.length > 0)
        notice.say(`Another window did: ${answer.merged.join(", ")}. Your change went on top.`, back);
      else if (change.says) notice.say(change.says, back);
    },
    onError: (error, change) => {
      if (error instanceof Refused && error.status === 409) client.invalidateQueries({ queryKey: siteKey(id) });
      if (!change.inForm) complain(error);
    },
  });
}

/**
 * useOpened is the version of the site that a form was opened with: what it sends goes on top of
 * that. catchUp takes the newest one, for when its user has been told what was changed meanwhile.
 */
export function useOpened() {
  const { id, version } = useSite();
  const client = useQueryClient();
  const [opened, setOpened] = useState(version);
  const catchUp = async () => {
    const fresh = await client.fetchQuery({ ...siteQuery(id), staleTime: 0 });
    setOpened(fresh.version);
    return fresh.site;
  };
  return { opened, catchUp };
}

type Turn = { way: "undo" | "redo"; entry?: number };

/** useUndo takes back an entry of the journal, or makes it again: the one that is named, else the one that the page shows. */
export function useUndo() {
  const id = useSiteId();
  const client = useQueryClient();
  const notice = useNotice();
  const complain = useComplain();
  return useMutation({
    mutationFn: ({ way, entry }: Turn) =>
      inTurn(id, async () => {
        const seen = client.getQueryData<Answer>(siteKey(id));
        const shown = way === "undo" ? seen?.undoEntry : seen?.redoEntry;
        const body = { version: versionOf(client, id), entry: entry ?? shown, window: thisWindow };
        const title = entry === undefined || entry === shown ? (way === "undo" ? seen?.undo : seen?.redo) : undefined;
        const params = { params: { path: { id } }, body };
        const answer = must(
          way === "undo"
            ? await api.POST("/api/sites/{id}/undo", params)
            : await api.POST("/api/sites/{id}/redo", params),
        );
        keep(client, answer);
        const done = way === "undo" ? "Taken back" : "Done again";
        return title ? `${done}: ${title}.` : `${done}.`;
      }),
    onSuccess: (says) => notice.say(says),
    onError: (error) => {
      client.invalidateQueries({ queryKey: siteKey(id) });
      const done = error instanceof Refused && error.status === 409 ? error.faults.map((f) => f.says) : [];
      if (done.length === 0) return complain(error);
      notice.warn(`That cannot be taken back alone: since then the same was changed (${done.join(", ")}).`);
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
    let again: ReturnType<typeof setTimeout> | undefined;
    const hear = (event: MessageEvent<string>) => {
      const {
        id,
        version = 0,
        survey,
      } = JSON.parse(event.data) as { id: string; version?: number; survey?: SurveyState };
      if (survey) hearSurvey(client, id, survey);
      if (!version) return;
      if (version < 0 || version > versionOf(client, id)) client.invalidateQueries({ queryKey: siteKey(id) });
      client.invalidateQueries({ queryKey: ["sites"] });
    };
    const hush = () => {
      clearTimeout(again);
      source?.close();
      source = undefined;
    };
    const listen = () => {
      if (document.visibilityState !== "visible") return hush();
      if (source) return;
      source = new EventSource("/api/events");
      source.onmessage = hear;
      source.onerror = () => {
        if (source?.readyState !== EventSource.CLOSED) return; // it tries again by itself
        hush();
        again = setTimeout(back, 15_000);
      };
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
