import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { sayWhy } from "../api/client";
import { useEdit, useSite } from "../api/site";
import { readEvidence } from "../api/survey";
import { Button, Mono, Row, Tag } from "../parts";
import { plural } from "../parts/words";

const words = {
  new: { word: "new", tone: "moss" },
  moved: { word: "moved", tone: "brass" },
  more: { word: "tells more", tone: "chalk" },
  known: { word: "known", tone: "chalk" },
  leftout: { word: "left out", tone: "madder" },
} as const;

const most = 200;

const hours = (seconds: number) =>
  seconds % 3600 === 0 ? plural(seconds / 3600, "hour") : plural(Math.round(seconds / 60), "minute");

/** PreviewPanel shows line by line what files and texts say before they are taken. */
export function PreviewPanel({ files, onClose }: { files: File[]; onClose: () => void }) {
  const site = useSite();
  const edit = useEdit();
  const [at] = useState(() => new Date().toISOString());
  const source = files.length === 1 ? (files[0]?.name ?? "") : plural(files.length, "file");
  const { data, error, isPending } = useQuery({
    queryKey: ["read", site.id, site.version, at, ...files.map((f) => f.name)],
    gcTime: 0,
    retry: false,
    queryFn: ({ signal }) => readEvidence(site.id, files, at, signal),
  });
  if (isPending)
    return (
      <Row role="status">
        Reading {source}…
        <Button size="small" onClick={onClose}>
          Stop
        </Button>
      </Row>
    );
  if (error)
    return (
      <chakra.div
        role="alert"
        bg="madderSoft"
        borderLeft="4px solid"
        borderColor="madderFill"
        p="10px"
        borderRadius="4px"
      >
        <p>{sayWhy(error)}</p>
        <Button size="small" mt="6px" onClick={onClose}>
          Close
        </Button>
      </chakra.div>
    );
  const count = (what: string) => data.counts[what] ?? 0;
  const all = Object.values(data.counts).reduce((n, of) => n + of, 0);
  const several = files.length > 1;
  const fresh = count("new");
  const facts = [
    data.facts.subnet && `subnet ${data.facts.subnet}`,
    data.facts.own && `this laptop is ${data.facts.own}`,
    data.facts.gateway && `gateway ${data.facts.gateway}`,
    data.facts.dns?.length && `DNS ${data.facts.dns.join(", ")}`,
    data.facts.dhcp?.length && `DHCP server ${data.facts.dhcp.join(", ")}`,
    data.facts.lease && `leases for ${hours(data.facts.lease)}`,
    data.facts.ranges?.length && `DHCP range ${data.facts.ranges.map((r) => `${r.from}–${r.to}`).join(", ")}`,
  ].filter(Boolean);
  const take = () =>
    edit.mutate(
      {
        edits: data.edits,
        version: data.version,
        title: `take in ${source}`,
        says: `Taken in: ${plural(fresh, "new device")} from ${source}.`,
      },
      { onSuccess: onClose },
    );
  return (
    <chakra.section aria-label="What was understood" display="flex" flexDirection="column" gap="10px">
      <Row flexWrap="wrap">
        <chakra.p flex="1 1 240px">
          <b>{plural(all, "sighting")}</b> in {source}: {fresh} new, {count("moved")} moved, {count("more")} tell more,{" "}
          {count("known")} known
          {data.missed > 0 && <chakra.span color="madder">, {plural(data.missed, "line")} not understood</chakra.span>}.
        </chakra.p>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="lead" onClick={take} disabled={data.edits.length === 0 || edit.isPending}>
          {fresh > 0
            ? `Take ${plural(fresh, "new device")}`
            : data.edits.length > 0
              ? "Take what is new"
              : "Nothing to take"}
        </Button>
      </Row>
      {facts.length > 0 && (
        <chakra.p fontSize="small" bg="chalkSoft" borderRadius="field" px="10px" py="5px">
          The network: <Mono>{facts.join(" · ")}</Mono>
        </chakra.p>
      )}
      <chakra.div bg="card" border="1px solid" borderColor="hair" borderRadius="8px" overflow="hidden">
        <chakra.table fontSize="small">
          <thead>
            <chakra.tr color="muted" borderBottom="1px solid" borderColor="hair">
              {[...(several ? ["Source"] : []), "Line", "MAC", "Address", "Name there", "Comes to"].map((h) => (
                <chakra.th key={h} px="8px" py="5px">
                  {h}
                </chakra.th>
              ))}
            </chakra.tr>
          </thead>
          <tbody>
            {data.findings.slice(0, most).map((f, i) => {
              const w = words[f.what as keyof typeof words];
              return (
                // biome-ignore lint/suspicious/noArrayIndexKey: a line may be sighted twice; the list never changes
                <chakra.tr key={i} borderBottom="1px solid" borderColor="hair" data-finding={f.what}>
                  {several && (
                    <chakra.td px="8px" color="muted" maxW="120px" overflow="hidden" textOverflow="ellipsis">
                      {f.sighting.source}
                    </chakra.td>
                  )}
                  <chakra.td px="8px" py="4px" color="muted">
                    {f.sighting.line}
                  </chakra.td>
                  <chakra.td px="8px">
                    <Mono>{f.sighting.mac || "–"}</Mono>
                  </chakra.td>
                  <chakra.td px="8px">
                    <Mono>{f.sighting.address || "–"}</Mono>
                  </chakra.td>
                  <chakra.td px="8px" overflowWrap="anywhere">
                    {f.sighting.host || "–"}
                  </chakra.td>
                  <chakra.td px="8px">
                    <Tag tone={w.tone}>{w.word}</Tag> {f.what === "new" ? "" : f.says}
                  </chakra.td>
                </chakra.tr>
              );
            })}
          </tbody>
        </chakra.table>
        {all > most && (
          <chakra.p p="8px" color="muted">
            and {all - most} more
          </chakra.p>
        )}
      </chakra.div>
      {data.missed > 0 && (
        <chakra.details>
          <chakra.summary cursor="pointer" fontWeight={600}>
            Not understood: {plural(data.missed, "line")}
          </chakra.summary>
          <chakra.ul fontFamily="mono" fontSize="small" mt="4px">
            {data.unread.map((u) => (
              <chakra.li key={`${u.source} ${u.line}`} overflowWrap="anywhere" py="2px">
                <chakra.span color="muted">
                  {several && `${u.source}, `}
                  {u.line}:{" "}
                </chakra.span>
                {u.text}
              </chakra.li>
            ))}
            {data.missed > data.unread.length && (
              <chakra.li color="muted">and {data.missed - data.unread.length} more</chakra.li>
            )}
          </chakra.ul>
        </chakra.details>
      )}
    </chakra.section>
  );
}
