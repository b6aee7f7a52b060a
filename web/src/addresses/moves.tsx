import { useCallback, useEffect, useRef, useState } from "react";
import { api, must } from "../api/client";
import { complain, there, useEdit } from "../api/edit";
import type { By } from "../api/model";
import { useSite } from "../api/site";
import { later } from "../parts/later";
import { address, ifaceLabel, indexOf, type Lan, number, type Placed } from "../parts/words";
import type { Asked, Place } from "./asked";

const AskTaken = later(() => import("./ask-taken").then((m) => m.AskTaken));

/**
 * usePlace pins an interface at an address. Where that is not free it asks first, and offers that the
 * two change places. The promise tells whether it was pinned.
 */
export function usePlace(): [Place, React.ReactNode] {
  const { id, version } = useSite();
  const edit = useEdit();
  const [asked, setAsked] = useState<Asked>();
  const place = useCallback<Place>(
    async (placed, to, by) => {
      try {
        const drop = must(
          await api.GET("/api/sites/{id}/put", {
            params: { path: { id }, query: { interface: placed.iface.id, address: to, by } },
          }),
        );
        if (drop.taken && placed.iface.pin?.address !== to)
          return await new Promise<boolean>((answer) => setAsked({ placed, to, drop, version, answer }));
        await edit.make({
          edits: drop.edits,
          version,
          says: `${ifaceLabel(placed.device, placed.iface)} is pinned at ${to}.`,
          inForm: true,
        });
        return true;
      } catch (error) {
        complain(error);
        return false;
      }
    },
    [id, version, edit],
  );
  const close = (done: boolean) => {
    asked?.answer(done);
    setAsked(undefined);
  };
  return [place, asked && <AskTaken asked={asked} onClose={close} />];
}

/** How long after the last arrow a run of them is written, in milliseconds. */
const pause = 400;

export type Run = { id: string; to: string };

/**
 * useArrowRun moves the picked pin from one free address to the next. A run of arrows is one change,
 * written when the hand rests, when something else is picked, or on Enter.
 */
export function useArrowRun(
  picked: Placed | undefined,
  by: By,
  room: Map<string, string> | undefined,
  { lo, hi }: Lan,
) {
  const edit = useEdit();
  const [run, setRun] = useState<Run>();
  const pending = useRef<{ timer: ReturnType<typeof setTimeout>; write: () => void }>(undefined);
  const ahead = useRef(0);
  const flush = useCallback(() => {
    const last = pending.current;
    if (!last) return false;
    clearTimeout(last.timer);
    pending.current = undefined;
    last.write();
    return true;
  }, []);
  const id = picked?.iface.id;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another pick ends the run
  useEffect(() => {
    return () => {
      flush();
      ahead.current = 0;
      setRun(undefined);
    };
  }, [id, flush]);
  const step = (way: 1 | -1) => {
    const from = (run?.id === id ? run?.to : undefined) ?? picked?.iface.pin?.address ?? picked?.iface.seen;
    if (!picked || !from) return false;
    if (!room) {
      ahead.current += way; // hands are faster than the answer
      return true;
    }
    for (let n = number(from) + way; n > lo && n < hi; n += way) {
      const to = address(n);
      if (room.has(to)) continue;
      clearTimeout(pending.current?.timer);
      setRun({ id: picked.iface.id, to });
      const write = () => {
        edit.mutate(
          {
            of: (now) => {
              const { iface } = there(indexOf(now).interfaces.get(picked.iface.id));
              return [{ do: "pin", id: iface.id, pin: { ...iface.pin, by: iface.pin?.by ?? by, address: to } }];
            },
            says: `${ifaceLabel(picked.device, picked.iface)} is pinned at ${to}.`,
          },
          { onSuccess: () => setRun(undefined), onError: () => setRun(undefined) },
        );
      };
      pending.current = { write, timer: setTimeout(flush, pause) };
      return true;
    }
    return false;
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was pressed before the room was known is made up for once
  useEffect(() => {
    if (!room || ahead.current === 0) return;
    const way = ahead.current > 0 ? 1 : -1;
    ahead.current -= way;
    step(way);
  }, [room, run]);
  const cancel = () => {
    if (!pending.current) return false;
    clearTimeout(pending.current.timer);
    pending.current = undefined;
    setRun(undefined);
    return true;
  };
  useEffect(() => {
    if (!run) return;
    const onKey = (event: KeyboardEvent) => {
      // The run is what was done last: it goes before anything of the journal.
      if ((event.ctrlKey || event.metaKey) && event.key === "z" && cancel()) event.preventDefault();
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  });
  return { run, step, flush, cancel };
}
