import { type QueryClient, queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { notice } from "../parts/notice";
import { api, must, sayWhy } from "./client";
import type { CheckState, Checks } from "./model";
import { useSite, useSiteId } from "./site";

const checksKey = (id: string) => ["checks", id];

const checksQuery = (id: string, version: number) =>
  queryOptions({
    queryKey: [...checksKey(id), version],
    queryFn: async () => must(await api.GET("/api/sites/{id}/checks", { params: { path: { id } } })),
    placeholderData: (last: Checks | undefined) => last,
  });

// Sites whose check began by itself, of which it was told already.
const followed = new Set<string>();

/** hearCheck takes what the server tells of a check that goes on, and asks what it has seen so far. */
export function hearCheck(client: QueryClient, id: string, state: CheckState) {
  client.setQueriesData<Checks>({ queryKey: checksKey(id) }, (old) => old && { ...old, state });
  client.invalidateQueries({ queryKey: checksKey(id) });
  if (!state.running) followed.delete(id);
  else if (state.followed && !followed.has(id)) {
    followed.add(id);
    notice.say("This computer has left the site: everything is tried from here now. Checks shows how it goes.");
  }
}

/** useChecks is what was tried last, or so far by the check that goes on, and what it says of the plan. */
export function useChecks() {
  const { id, version } = useSite();
  return useQuery(checksQuery(id, version));
}

export type CheckPlan = { what?: "check" | "watch" | "hotspot"; from?: "" | "inside" | "outside"; services?: string[] };

/** useCheck starts and stops checks. */
export function useCheck() {
  const id = useSiteId();
  const client = useQueryClient();
  const done = (state: CheckState) => hearCheck(client, id, state);
  const onError = (error: unknown) => notice.warn(sayWhy(error));
  const start = useMutation({
    mutationFn: async (plan: CheckPlan) =>
      must(await api.POST("/api/sites/{id}/checks", { params: { path: { id } }, body: plan })),
    onSuccess: done,
    onError,
  });
  const stop = useMutation({
    mutationFn: async () => must(await api.POST("/api/sites/{id}/checks/stop", { params: { path: { id } } })),
    onSuccess: done,
    onError,
  });
  const saw = useMutation({
    mutationFn: async (body: { service: string; saw: "answers" | "nothing" }) =>
      must(await api.POST("/api/sites/{id}/checks/saw", { params: { path: { id } }, body })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["site", id] }),
    onError,
  });
  const standIn = useMutation({
    mutationFn: async (service: string) =>
      must(await api.POST("/api/sites/{id}/checks/stand-in", { params: { path: { id } }, body: { service } })),
    onSuccess: (state) => {
      notice.say(state.says);
      client.invalidateQueries({ queryKey: ["site", id] });
    },
    onError,
  });
  return { start, stop, saw, standIn };
}

/** useComingBack watches who comes back after the router was restarted, where this computer is at the site. */
export function useComingBack(begun: () => void) {
  const id = useSiteId();
  const client = useQueryClient();
  return async () => {
    const { data } = await api.POST("/api/sites/{id}/checks", { params: { path: { id } }, body: { what: "watch" } });
    if (!data) return; // nobody asked for it: what stands in its way is no fault
    hearCheck(client, id, data);
    begun();
  };
}

/** useInUse looks whether a service is in use now; a list is what the router shows of its connections. */
export function useInUse(service: string) {
  const id = useSiteId();
  return useMutation({
    mutationFn: async (list: string) =>
      must(await api.POST("/api/sites/{id}/checks/in-use", { params: { path: { id } }, body: { service, list } })),
  });
}

/** usePairing pairs this program with a helper at the far end; an empty text forgets it. */
export function usePairing(then: () => void) {
  const id = useSiteId();
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (pairing: string) => must(await api.PUT("/api/far-end", { body: { pairing } })),
    onSuccess: () => {
      client.invalidateQueries({ queryKey: checksKey(id) });
      then();
    },
  });
}
