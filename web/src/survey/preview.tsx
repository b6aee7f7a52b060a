import { chakra } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { sayWhy } from "../api/client";
import { useEdit, useSite } from "../api/site";
import { readEvidence } from "../api/survey";
import { Button, Mono, Row } from "../parts";
import { plural } from "../parts/words";
import { AsItCame } from "./as-it-came";

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
    placeholderData: keepPreviousData,
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
      {data.holds && (
        <chakra.p fontSize="small" bg="brassSoft" borderRadius="field" px="10px" py="5px" data-holds>
          {data.holds}. A forward says nothing of where a device was seen.
        </chakra.p>
      )}
      {data.refused.map((r) => (
        <chakra.p key={r.source} role="alert" fontSize="small" bg="madderSoft" borderRadius="field" px="10px" py="5px">
          <b>{r.source}</b> was not read: {r.says}
        </chakra.p>
      ))}
      <AsItCame data={data} several={several} />
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
