import { queryOptions, useQueryClient } from "@tanstack/react-query";
import { api, done, must, sayWhy } from "../api/client";
import { sitesQuery } from "../api/site";
import { notice } from "../parts/notice";

/** removedQuery are the sites that were removed and can be had back. */
export const removedQuery = queryOptions({
  queryKey: ["removed"],
  queryFn: async () => must(await api.GET("/api/removed")),
  staleTime: 0,
});

type Named = { id: string; name: string };

/** useRemovals takes sites out of the list, and brings them back with all of their history. */
export function useRemovals() {
  const client = useQueryClient();
  const attempt = async (run: () => Promise<string>, back?: { label: string; run: () => void }) => {
    try {
      notice.say(await run(), back);
    } catch (error) {
      notice.warn(sayWhy(error));
    }
    client.invalidateQueries({ queryKey: sitesQuery.queryKey });
    client.invalidateQueries({ queryKey: removedQuery.queryKey });
  };
  const bringBack = ({ id, name }: Named) =>
    attempt(async () => {
      done(await api.POST("/api/removed/{id}/back", { params: { path: { id } } }));
      return `${name} is back, with its history.`;
    });
  const remove = (site: Named) =>
    attempt(
      async () => {
        done(await api.DELETE("/api/sites/{id}", { params: { path: { id: site.id } } }));
        return `${site.name} is removed. It can be had back for 30 days, under Removed sites.`;
      },
      { label: "Undo", run: () => bringBack(site) },
    );
  const forget = ({ id, name }: Named) =>
    attempt(async () => {
      done(await api.DELETE("/api/removed/{id}", { params: { path: { id } } }));
      return `${name} is deleted for good.`;
    });
  return { remove, bringBack, forget };
}
