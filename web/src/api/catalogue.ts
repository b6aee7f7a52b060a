import { queryOptions, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, must } from "./client";
import type { Kind } from "./model";
import { useSite } from "./site";

export const catalogueQuery = queryOptions({
  queryKey: ["catalogue"],
  queryFn: async () => must(await api.GET("/api/catalogue")),
});

export type Kinds = { all: Kind[]; of: Map<string, Kind> };

/** useKinds are the kinds that count at the open site, and what its devices are, once they are there. */
export function useKinds(): Kinds | undefined {
  const { id, version } = useSite();
  const { data } = useQuery({
    queryKey: [...catalogueQuery.queryKey, id, version],
    queryFn: async () => must(await api.GET("/api/sites/{id}/kinds", { params: { path: { id } } })),
    placeholderData: (last) => last,
  });
  return useMemo(() => {
    if (!data) return undefined;
    const byId = new Map(data.kinds.map((k) => [k.id, k]));
    return {
      all: data.kinds,
      of: new Map(
        data.of.flatMap(({ device, kind }) => {
          const found = byId.get(kind);
          return found ? [[device, found] as const] : [];
        }),
      ),
    };
  }, [data]);
}

/** useKnownKinds are the kinds whose names are offered for a device. */
export function useKnownKinds(): Kind[] {
  const own = useSite().site.kinds;
  const { data } = useQuery(catalogueQuery);
  return useMemo(() => [...(data?.kinds ?? []), ...own], [data, own]);
}
