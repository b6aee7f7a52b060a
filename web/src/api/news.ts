import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { hearCheck } from "./checks";
import { settled } from "./edit";
import type { CheckState, SurveyState } from "./model";
import { siteQuery, sitesQuery, versionOf } from "./site";
import { hearSurvey } from "./survey";

type News = { id: string; version?: number; survey?: SurveyState; check?: CheckState };

/**
 * hearVersion looks again at a site that has a newer version. What this window itself is changing tells of
 * itself: its answer is waited for, and holds the site.
 */
async function hearVersion(client: QueryClient, id: string, version: number) {
  await settled(id);
  if (version < 0 || version > versionOf(client, id)) client.invalidateQueries({ queryKey: siteQuery(id).queryKey });
  client.invalidateQueries({ queryKey: sitesQuery.queryKey });
}

/**
 * useNews looks again at what other windows change. Only a window in sight listens: a browser
 * keeps few connections to one server, and each listener holds one. What was told while nobody
 * listened is fetched when the stream is back.
 */
export function useNews() {
  const client = useQueryClient();
  useEffect(() => {
    let source: EventSource | undefined;
    let again: ReturnType<typeof setTimeout> | undefined;
    let missed = false;
    const hear = (event: MessageEvent<string>) => {
      const { id, version = 0, survey, check }: News = JSON.parse(event.data);
      if (survey) hearSurvey(client, id, survey);
      if (check) hearCheck(client, id, check);
      if (version) hearVersion(client, id, version);
    };
    const hush = () => {
      clearTimeout(again);
      source?.close();
      source = undefined;
      missed = true;
    };
    const listen = () => {
      if (document.visibilityState !== "visible") return hush();
      if (source) return;
      source = new EventSource("/api/events");
      source.onmessage = hear;
      source.onopen = () => {
        if (missed) client.invalidateQueries();
        missed = false;
      };
      source.onerror = () => {
        missed = true;
        if (source?.readyState !== EventSource.CLOSED) return; // it tries again by itself
        hush();
        again = setTimeout(listen, 15_000);
      };
    };
    listen();
    document.addEventListener("visibilitychange", listen);
    window.addEventListener("pagehide", hush);
    window.addEventListener("pageshow", listen);
    return () => {
      hush();
      document.removeEventListener("visibilitychange", listen);
      window.removeEventListener("pagehide", hush);
      window.removeEventListener("pageshow", listen);
    };
  }, [client]);
}
