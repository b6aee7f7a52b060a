import { queryOptions, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, must } from "./client";
import type { Kind } from "./model";
import { useSite } from "./site";

export const catalogueQuery = queryOptions({
  queryKey: ["catalogue"],
  queryFn: async () => must(await api.GET("/api/catalogue")),
});

/** useKinds are the kinds of the catalogue, the firm's and the site's own among them, once they are there. */
export function useKinds(): Kind[] | undefined {
  const { data } = useQuery(catalogueQuery);
  const own = useSite().site.kinds;
  return useMemo(() => {
    if (!data) return undefined;
    const mine = own ?? [];
    return [...data.kinds.filter((k) => !mine.some((o) => o.id === k.id)), ...mine];
  }, [data, own]);
}

/** kindOf is the kind that a word means, by its id, its name or another word for it. */
export function kindOf(kinds: Kind[], word: string | undefined): Kind | undefined {
  const text = (word ?? "").trim().toLowerCase();
  if (!text) return undefined;
  return (
    kinds.find((k) => k.id === text) ??
    kinds.find((k) => k.name.toLowerCase() === text || k.id === text.replaceAll(" ", "-")) ??
    kinds.find((k) => k.also?.includes(text))
  );
}
