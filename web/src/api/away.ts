import { useSyncExternalStore } from "react";

/*
 * Whether the program answers. Whatever asks it tells; while it is away it is asked again and again, and
 * whoever waits for it goes on when it is back. Where it came back as another version, the page is
 * loaded anew: what was typed is kept over that.
 */

export type Presence = "here" | "away" | "back";

let presence: Presence = "here";
const watching = new Set<() => void>();
let waiting: Promise<void> | undefined;

/** How often a program that is away is asked, and how long its return is told, in milliseconds. */
const askAgain = 1500;
const tellBack = 5000;

function become(next: Presence) {
  if (presence === next) return;
  presence = next;
  for (const tell of watching) tell();
}

const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));

async function answers(): Promise<boolean> {
  try {
    return (await fetch("/api/reach", { cache: "no-store" })).status < 500;
  } catch {
    return false;
  }
}

/** isAnother tells whether the program serves another page than this one. */
async function isAnother(): Promise<boolean> {
  const own = document.querySelector<HTMLScriptElement>("script[type=module][src]")?.getAttribute("src");
  if (!own) return false;
  try {
    return !(await (await fetch("/", { cache: "no-store" })).text()).includes(own);
  } catch {
    return false;
  }
}

/** untilBack waits until the program answers again. */
export function untilBack(): Promise<void> {
  waiting ??= (async () => {
    become("away");
    while (!(await answers())) await pause(askAgain);
    if (await isAnother()) {
      window.location.reload();
      await new Promise(() => undefined); // the page goes
    }
    become("back");
    setTimeout(() => presence === "back" && become("here"), tellBack);
  })().finally(() => {
    waiting = undefined;
  });
  return waiting;
}

/** asked sends a request, and notes where nobody answers. */
export async function asked(request: Request): Promise<Response> {
  try {
    return await fetch(request);
  } catch (error) {
    if (error instanceof TypeError && !request.signal.aborted) untilBack();
    throw error;
  }
}

/** usePresence tells whether the program answers. */
export function usePresence(): Presence {
  return useSyncExternalStore(
    (tell) => {
      watching.add(tell);
      return () => watching.delete(tell);
    },
    () => presence,
  );
}
