import { useCallback, useDeferredValue, useRef } from "react";
import { useSearchParams } from "react-router";

/** useLatePick is what is picked, for what may follow the picture a moment later. */
export function useLatePick(): string | undefined {
  return useDeferredValue(usePick()[0]);
}

/** useParam is one value of the page's address. Where there was none, Back takes it away again. */
function useParam(name: string): [string | undefined, (value: string | undefined) => void] {
  const [params, setParams] = useSearchParams();
  const value = params.get(name) ?? undefined;
  const latest = useRef({ setParams, value });
  latest.current = { setParams, value };
  const set = useCallback(
    (next: string | undefined) => {
      const { setParams, value } = latest.current;
      if (next === value) return;
      latest.current.value = next;
      setParams(
        () => {
          const all = new URLSearchParams(window.location.search); // the newest, also of two changes at once
          if (next) all.set(name, next);
          else all.delete(name);
          return all;
        },
        { replace: value !== undefined || next === undefined },
      );
    },
    [name],
  );
  return [value, set];
}

/** usePick is what is picked, such as "device:rec"; it is part of the page's address. */
export const usePick = () => useParam("pick");

/** useOpened is the dialog that is open, such as "router:edge"; it is part of the page's address. */
export const useOpened = () => useParam("open");

/** carried is what of the page's address goes along to another station: what is picked. */
export function carried(search: string): string {
  const pick = new URLSearchParams(search).get("pick");
  return pick ? `?pick=${encodeURIComponent(pick)}` : "";
}
