import { type QueryClient, queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { notice } from "../parts/notice";
import { api, ask, must, sayWhy } from "./client";
import type { Live, Preview, SurveyState } from "./model";
import { useSiteId } from "./site";

const surveyKey = (id: string) => ["survey", id];

const surveyQuery = (id: string) =>
  queryOptions({
    queryKey: surveyKey(id),
    queryFn: async () => must(await api.GET("/api/sites/{id}/survey", { params: { path: { id } } })),
  });

/** hearSurvey takes what the server tells of a survey that goes on. */
export function hearSurvey(client: QueryClient, id: string, state: SurveyState) {
  const key = surveyKey(id);
  const before = client.getQueryData<Live>(key);
  const more = !state.running || state.found !== before?.devices.length;
  client.setQueryData<Live>(key, {
    devices: state.running ? (before?.devices ?? []) : [],
    new: state.running ? (before?.new ?? []) : [],
    state,
  });
  // An answer that is on its way may be older than this: it is asked anew.
  if (more) client.invalidateQueries({ queryKey: key });
}

/** useSurvey is the survey that goes on, or how the last one ended. */
export function useSurvey(): Live | undefined {
  return useQuery(surveyQuery(useSiteId())).data;
}

export type SurveyPlan = { network?: string; large?: boolean; community?: string; ports?: string };

/** useSweep starts and stops surveys. */
export function useSweep() {
  const id = useSiteId();
  const client = useQueryClient();
  const done = (state: SurveyState) => hearSurvey(client, id, state);
  const start = useMutation({
    mutationFn: async (plan: SurveyPlan) =>
      must(await api.POST("/api/sites/{id}/survey", { params: { path: { id } }, body: plan })),
    onSuccess: done,
    onError: (error) => notice.warn(sayWhy(error)),
  });
  const stop = useMutation({
    mutationFn: async () => must(await api.POST("/api/sites/{id}/survey/stop", { params: { path: { id } } })),
    onSuccess: done,
    onError: (error) => notice.warn(sayWhy(error)),
  });
  return { start, stop };
}

/** useListRoles keeps what the columns of a list hold, for lists of its shape, and reads again. */
export function useListRoles() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: { shape: string; roles: string[] }) => {
      const r = await api.PUT("/api/list-roles", { body });
      if (!r.response.ok) must({ ...r, data: undefined });
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ["read"] }),
    onError: (error) => notice.warn(sayWhy(error)),
  });
}

/** readEvidence asks what files and pasted texts would come to. */
export async function readEvidence(id: string, files: File[], at: string, signal: AbortSignal): Promise<Preview> {
  const form = new FormData();
  for (const f of files) form.append("file", f, f.name);
  const query = new URLSearchParams({ at });
  return ask<Preview>(`/api/sites/${encodeURIComponent(id)}/evidence?${query}`, { method: "POST", body: form, signal });
}
