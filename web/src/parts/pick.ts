import { useCallback, useDeferredValue, useRef } from "react";
import { useSearchParams } from "react-router";

/** useLatePick is what is picked, for what may follow the picture a moment later. */
export function useLatePick(): string | undefined {
  return useDeferredValue(usePick()[0]);
}

/** usePick is what is picked, such as "device:rec"; it is part of the page's address. */
export function usePick(): [string | undefined, (ref: string | undefined) => void] {
  const [params, setParams] = useSearchParams();
  const latest = useRef(setParams);
  latest.current = setParams;
  const set = useCallback(
    (ref: string | undefined) =>
      latest.current(
        (old) => {
          const next = new URLSearchParams(old);
          if (ref) next.set("pick", ref);
          else next.delete("pick");
          return next;
        },
        { replace: true },
      ),
    [],
  );
  return [params.get("pick") ?? undefined, set];
}
