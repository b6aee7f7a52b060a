import { Box, Button, HStack, List, Stack, Text } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { sayWhy } from "../api/client";
import { useEdit } from "../api/edit";
import type { Preview } from "../api/model";
import { useSite } from "../api/site";
import { readEvidence } from "../api/survey";
import { Mono, Remark } from "../parts";
import { plural } from "../parts/words";
import { AsItCame } from "./as-it-came";

const hours = (seconds: number) =>
  seconds % 3600 === 0 ? plural(seconds / 3600, "hour") : plural(Math.round(seconds / 60), "minute");

// Two texts may have one name.
const marks = new WeakMap<File, number>();
let marked = 0;

/** markOf tells a file from any other. */
function markOf(file: File): number {
  const mark = marks.get(file) ?? ++marked;
  marks.set(file, mark);
  return mark;
}

/** PreviewPanel shows line by line what files and texts say before they are taken. */
export function PreviewPanel({ files, onClose }: { files: File[]; onClose: () => void }) {
  const site = useSite();
  const edit = useEdit();
  const [at] = useState(() => new Date().toISOString());
  const source = files.length === 1 ? (files[0]?.name ?? "") : plural(files.length, "file");
  const { data, error, isPending, isPlaceholderData } = useQuery({
    queryKey: ["read", site.id, site.version, at, ...files.map(markOf)],
    gcTime: 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => readEvidence(site.id, files, at, signal),
  });
  if (isPending)
    return (
      <HStack role="status">
        Reading {source}…
        <Button size="xs" onClick={onClose}>
          Stop
        </Button>
      </HStack>
    );
  if (error)
    return (
      <Remark status="error">
        <Text>{sayWhy(error)}</Text>
        <Button size="xs" mt="6px" onClick={onClose}>
          Close
        </Button>
      </Remark>
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
        says: data.holds && fresh === 0 ? `${data.holds}.` : `Taken in: ${plural(fresh, "new device")} from ${source}.`,
      },
      { onSuccess: onClose },
    );
  return (
    <Stack as="section" aria-label="What was understood" gap="10px">
      <HStack flexWrap="wrap">
        <Text flex="1 1 240px">
          <b>{plural(all, "sighting")}</b> in {source}: {fresh} new, {count("moved")} moved, {count("more")} tell more,{" "}
          {count("known")} known
          {data.missed > 0 && <span className="stops">, {plural(data.missed, "line")} not understood</span>}
          {data.questions.length > 0 && (
            <span className="suggested">, {plural(data.questions.length, "question")} open below</span>
          )}
          .
        </Text>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="solid" onClick={take} disabled={data.edits.length === 0 || isPlaceholderData}>
          {isPlaceholderData
            ? `Reading ${source}…`
            : fresh > 0
              ? `Take ${plural(fresh, "new device")}`
              : data.edits.length > 0
                ? "Take what is new"
                : "Nothing to take"}
        </Button>
      </HStack>
      {facts.length > 0 && (
        <Remark status="info">
          The network: <Mono>{facts.join(" · ")}</Mono>
        </Remark>
      )}
      {data.holds && (
        <Remark status="warning" data-holds>
          {data.holds}. A forward says nothing of where a device was seen.
        </Remark>
      )}
      {data.refused.map((r) => (
        <Remark key={r.source} status="error">
          <b>{r.source}</b> was not read: {r.says}
        </Remark>
      ))}
      <AsItCame data={data} several={several} />
      {data.missed > 0 && <Missed data={data} several={several} />}
    </Stack>
  );
}

/** Missed lists the lines that were not understood. */
function Missed({ data, several }: { data: Preview; several: boolean }) {
  const [open, setOpen] = useState(false);
  return (
    <Box>
      <Button variant="plain" aria-expanded={open} onClick={() => setOpen(!open)}>
        Not understood: {plural(data.missed, "line")}
      </Button>
      {open && (
        <List.Root fontFamily="mono" fontSize="small" mt="4px">
          {data.unread.map((u, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a line may be told of twice; the list never changes
            <List.Item key={i} overflowWrap="anywhere" py="2px">
              <span className="muted">
                {several && `${u.source}, `}
                {u.line}:{" "}
              </span>
              {u.text}
            </List.Item>
          ))}
          {data.missed > data.unread.length && <List.Item>and {data.missed - data.unread.length} more</List.Item>}
        </List.Root>
      )}
    </Box>
  );
}
