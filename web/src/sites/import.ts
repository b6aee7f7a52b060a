import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { ask, Refused, sayWhy } from "../api/client";
import type { Answer } from "../api/model";
import { siteQuery, sitesQuery } from "../api/site";
import { notice } from "../parts/notice";

export type Way = { as: "new" } | { as: "update"; site: string };
export type Asked = { file: File; site: string };

/** useImport takes a site file in; where there is a site of that name it asks whether that is meant. */
export function useImport() {
  const navigate = useNavigate();
  const client = useQueryClient();
  const [asked, setAsked] = useState<Asked>();
  const take = async (file: File, way?: Way) => {
    setAsked(undefined);
    try {
      const made = await ask<Answer>(`/api/sites/import?${new URLSearchParams(way)}`, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: await file.text(),
      });
      client.setQueryData(siteQuery(made.id).queryKey, made);
      client.invalidateQueries({ queryKey: sitesQuery.queryKey });
      navigate(`/s/${encodeURIComponent(made.id)}/survey`);
    } catch (error) {
      const site = error instanceof Refused ? error.of("exists") : undefined;
      if (site) setAsked({ file, site });
      else notice.warn(`${file.name}: ${sayWhy(error)}`);
    }
  };
  return { take, asked, leave: () => setAsked(undefined) };
}
