import { notifyManager, type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { notice } from "../parts/notice";
import { api, must, Refused, sayWhy } from "./client";
import type { Answer, Edit } from "./model";
import { seenOf, siteQuery, sitesQuery, useSiteId, versionOf } from "./site";

// Changes of one site go one after the other, each with the version that the one
// before it made.
const queues = new Map<string, Promise<unknown>>();

/** settled waits for the changes of a site that are on their way. */
export async function settled(id: string) {
  await queues.get(id);
}

async function inTurn<T>(id: string, run: () => Promise<T>): Promise<T> {
  const next = (queues.get(id) ?? Promise.resolve()).then(run, run);
  queues.set(
    id,
    next.catch(() => undefined),
  );
  return next;
}

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

type Said = {
  title?: string;
  says?: string;
  /** a form says itself why it was refused */
  inForm?: boolean;
};

/**
 * Made is a change of one thing, or of one field of it. It is worked out of the newest site at the moment
 * it is sent, and anew where another window was quicker: what it does not mean to change stays.
 */
export type Made = Said & {
  of: (now: Answer) => Edit[] | Promise<Edit[]>;
  /** what is done at another site with it: at both or at none, and undone as one */
  with?: { site: string; title: string; of: (now: Answer) => Edit[] };
};

/**
 * Prepared is a change that was worked out from one version of the site, by the server or for what is in
 * sight. It goes on top of that version; where the same was changed since, whoever sent it is asked again.
 */
export type Prepared = Said & { edits: Edit[]; version: number };

export type Change = Made | Prepared;

/** Gone says that what was to be changed is not there any more. */
export class Gone extends Error {
  constructor() {
    super("It was removed in another window. Nothing was changed.");
  }
}

/** there passes what is there, and throws Gone where it is not. */
export function there<T>(thing: T | undefined): T {
  if (thing === undefined) throw new Gone();
  return thing;
}

type Batch = { edits: Edit[]; version: number; title?: string; window?: string };

async function sendEdits(id: string, batch: Batch, other?: Batch & { site: string }) {
  const params = { path: { id } };
  const body = { ...batch, window: thisWindow };
  try {
    return must(
      other
        ? await api.POST("/api/sites/{id}/edits-with", { params, body: { ...body, with: other } })
        : await api.POST("/api/sites/{id}/edits", { params, body }),
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

/** How often a change is worked out anew where other windows are quicker. */
const mostTries = 4;

/** send sends a change in its turn, and gives the site as it is then. */
async function send(client: QueryClient, id: string, change: Change): Promise<Edited> {
  for (let tries = 1; ; tries++) {
    const now = await client.ensureQueryData(siteQuery(id));
    const { title } = change;
    const batch =
      "of" in change
        ? { edits: await change.of(now), version: now.version, title }
        : { edits: change.edits, version: change.version, title };
    const far = "of" in change ? change.with : undefined;
    const there = far && (await client.ensureQueryData(siteQuery(far.site)));
    const other = far &&
      there && { site: far.site, title: far.title, edits: far.of(there), version: there.version, window: thisWindow };
    try {
      const made = await sendEdits(id, batch, other);
      await keep(client, made); // before the next change takes its turn
      if (far) client.invalidateQueries({ queryKey: siteQuery(far.site).queryKey });
      return made;
    } catch (error) {
      if (!(error instanceof Refused) || error.status !== 409) throw error;
      await client.fetchQuery({ ...siteQuery(id), staleTime: 0 });
      if (far) await client.fetchQuery({ ...siteQuery(far.site), staleTime: 0 });
      if (!("of" in change) || tries === mostTries) throw error;
    }
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
  const id = useSiteId();
  const client = useQueryClient();
  return useMemo(() => {
    const make = async (change: Change) => {
      try {
        const answer = await inTurn(id, () => send(client, id, change));
        const entry = answer.undoEntry;
        const back = { label: "Undo", run: () => turn(client, id, { way: "undo", entry, title: answer.undo }) };
        if (answer.merged.length > 0)
          notice.say(`Done elsewhere meanwhile: ${answer.merged.join(", ")}. Your change went on top.`, back);
        else if (change.says) notice.say(change.says, back);
        return answer;
      } catch (error) {
        if (!change.inForm) complain(error);
        throw error;
      }
    };
    return {
      make,
      mutate: (change, then) => {
        const press = "of" in change ? "" : `${id} ${change.version} ${JSON.stringify(change.edits)}`;
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
