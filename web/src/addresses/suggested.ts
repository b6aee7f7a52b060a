import { useCallback, useMemo, useState } from "react";
import { useEdit } from "../api/edit";
import type { Edit, Pin } from "../api/model";
import { usePlan, useSite } from "../api/site";
import { plural } from "../parts/words";

export type Suggested = { pin: Pin; why: string; edit: Edit };

/** useSuggestedPins asks for pins and takes them, one by one or all. */
export function useSuggestedPins() {
  const { needPin } = useSite();
  const edit = useEdit();
  const [asking, setAsking] = useState(false);
  const plan = usePlan("addresses", asking);
  const pins = useMemo(
    () =>
      new Map(
        (asking ? (plan.data?.changes ?? []) : []).flatMap((c): [string, Suggested][] =>
          c.edit.do === "pin" && c.edit.pin ? [[c.edit.id, { pin: c.edit.pin, why: c.why, edit: c.edit }]] : [],
        ),
      ),
    [asking, plan.data],
  );
  const version = plan.data?.version ?? 0; // none before there are pins
  const take = useCallback(
    (id: string) => {
      const s = pins.get(id);
      if (s) edit.mutate({ edits: [s.edit], version, says: `Pinned at ${s.pin.address}.` });
    },
    [pins, edit, version],
  );
  const takeAll = useCallback(() => {
    if (pins.size === 0) return;
    edit.mutate(
      {
        edits: [...pins.values()].map((s) => s.edit),
        version,
        title: `take ${plural(pins.size, "suggested pin")}`,
        says: `${plural(pins.size, "pin")} taken.`,
      },
      { onSuccess: () => setAsking(false) },
    );
  }, [pins, edit, version]);
  return useMemo(
    () => ({ pins, plan, asking, setAsking, take, takeAll, wanted: needPin.length }),
    [pins, plan, asking, take, takeAll, needPin.length],
  );
}

export type SuggestedPins = ReturnType<typeof useSuggestedPins>;
