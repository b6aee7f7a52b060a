import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { Summary } from "../api/model";
import { sitesQuery } from "../api/site";
import { notice } from "../parts/notice";

const away = (id: string) => fetch(`/api/sites/${encodeURIComponent(id)}`, { method: "DELETE", keepalive: true });

/**
 * useRemovals takes sites out of the list, and out of the program when the page is left: until then a
 * press brings each back with all of its history.
 */
export function useRemovals() {
  const client = useQueryClient();
  const [gone, setGone] = useState<ReadonlySet<string>>(new Set<string>());
  const latest = useRef(gone);
  latest.current = gone;
  useEffect(() => {
    const leave = () => {
      const all = [...latest.current];
      latest.current = new Set();
      if (all.length > 0)
        Promise.all(all.map(away)).then(
          () => client.invalidateQueries({ queryKey: sitesQuery.queryKey }),
          () => undefined, // the program is away: they are there again when it is back
        );
    };
    window.addEventListener("pagehide", leave);
    return () => {
      window.removeEventListener("pagehide", leave);
      leave();
    };
  }, [client]);
  const back = (id: string) => setGone((old) => new Set([...old].filter((x) => x !== id)));
  const remove = (site: Summary) => {
    setGone((old) => new Set([...old, site.id]));
    notice.say(`${site.name} goes when you leave this page, with its history.`, {
      label: "Undo",
      run: () => back(site.id),
    });
  };
  return { gone, remove };
}
