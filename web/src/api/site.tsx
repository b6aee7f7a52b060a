import { type QueryClient, queryOptions, useQuery } from "@tanstack/react-query";
import { createContext, useContext, useMemo } from "react";
import { api, must } from "./client";
import type { Answer, By } from "./model";

export const sitesQuery = queryOptions({
  queryKey: ["sites"],
  queryFn: async () => must(await api.GET("/api/sites")),
});

export function siteQuery(id: string) {
  return queryOptions({
    queryKey: ["site", id],
    queryFn: async () => must(await api.GET("/api/sites/{id}", { params: { path: { id } } })),
  });
}

const Open = createContext<Answer | undefined>(undefined);

/** OpenSite gives the open site to everything below the shell. */
export const OpenSite = Open.Provider;

/** useSiteId is the open site's, "" where none is open. */
export function useSiteId(): string {
  return useContext(Open)?.id ?? "";
}

/** useSite is the open site; views below the shell are only shown once it is there. */
export function useSite(): Answer {
  const open = useContext(Open);
  if (!open) throw new Error("no site is open");
  return open;
}

/** usePlan asks for suggestions of one half or both; they belong to a version of the site. */
export function usePlan(half: "addresses" | "ports" | "both", enabled: boolean) {
  const site = useSite();
  return useQuery({
    queryKey: ["suggest", site.id, half, site.version],
    queryFn: async () =>
      must(
        await api.GET("/api/sites/{id}/suggest", {
          params: { path: { id: site.id }, query: half === "both" ? {} : { half } },
        }),
      ),
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
    // Of the same interface the last answer serves until the next one is there.
    placeholderData: (last, query) => (query?.queryKey[2] === iface ? last : undefined),
  });
  return useMemo(
    () => (iface === undefined || !data ? undefined : new Map(data.map((t) => [t.address, t.why]))),
    [iface, data],
  );
}

export const seenOf = (client: QueryClient, id: string) => client.getQueryData(siteQuery(id).queryKey);
export const versionOf = (client: QueryClient, id: string) => seenOf(client, id)?.version ?? 0;
