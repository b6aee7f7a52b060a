import { useCallback } from "react";
import { useSearchParams } from "react-router";

/** usePick is what is picked, such as "device:rec"; it is part of the page's address. */
export function usePick(): [string | undefined, (ref: string | undefined) => void] {
  const [params, setParams] = useSearchParams();
  const set = useCallback(
    (ref: string | undefined) =>
      setParams(
        (old) => {
          const next = new URLSearchParams(old);
          if (ref) next.set("pick", ref);
          else next.delete("pick");
          return next;
        },
        { replace: true },
      ),
    [setParams],
  );
  return [params.get("pick") ?? undefined, set];
}
