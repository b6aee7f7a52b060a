import { Box, Button, Heading, List, SimpleGrid, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, sayWhy } from "../api/client";
import type { Visit } from "../api/model";
import { useSite } from "../api/site";
import { Labelled, Muted, Refusal, Select } from "../parts";
import { Dialog } from "../parts/dialog";
import { usePick } from "../parts/pick";

const date = (at: string) => new Date(at).toLocaleDateString([], { day: "numeric", month: "long", year: "numeric" });

const headings = [
  ["swapped", "Swapped"],
  ["moved", "Moved"],
  ["renamed", "Calls itself something else"],
  ["new", "New"],
  ["gone", "Not seen this time"],
  ["elsewhere", "Not where the plan has it"],
] as const;

/** How many differences of one kind are listed. */
const most = 200;

/** Comparison lists what changed from one visit to another, whichever two. */
export function Comparison({ before, last, onClose }: { before: Visit; last: Visit; onClose: () => void }) {
  const { id, version, site } = useSite();
  const [, setPick] = usePick();
  const [from, setFrom] = useState(before.id);
  const [to, setTo] = useState(last.id);
  const { data, error } = useQuery({
    queryKey: ["compare", id, version, from, to],
    queryFn: async () =>
      must(await api.GET("/api/sites/{id}/compare", { params: { path: { id }, query: { before: from, after: to } } })),
  });
  const visit = (name: string, value: string, onChange: (v: string) => void) => (
    <Labelled label={name}>
      <Select
        value={value}
        onChange={(e) => onChange(e.currentTarget.value)}
        options={site.visits.map((v) => [v.id, `${date(v.from)}, ${v.seen.length} seen`])}
      />
    </Labelled>
  );
  return (
    <Dialog title="What changed between two visits" onClose={onClose} wide>
      <SimpleGrid columns={2} gap="14px" mb="12px">
        {visit("From the visit of", from, setFrom)}
        {visit("to the visit of", to, setTo)}
      </SimpleGrid>
      {error && <Refusal>{sayWhy(error)}</Refusal>}
      {data?.length === 0 && <Text>Everything was as before.</Text>}
      {headings.map(([what, title]) => {
        const list = data?.filter((d) => d.what === what) ?? [];
        return list.length === 0 ? null : (
          <Box as="section" key={what} mb="12px" data-difference={what}>
            <Heading as="h3">
              {title} <Muted>{list.length}</Muted>
            </Heading>
            <List.Root>
              {list.slice(0, most).map((d) => (
                <List.Item key={d.what + d.interface} borderBottom="1px solid" borderColor="hair">
                  {d.device ? (
                    <Button
                      variant="plain"
                      color="ink"
                      fontWeight={400}
                      onClick={() => {
                        setPick(`device:${d.device}`);
                        onClose();
                      }}
                    >
                      {d.says}
                    </Button>
                  ) : (
                    d.says
                  )}
                </List.Item>
              ))}
              {list.length > most && <List.Item>and {list.length - most} more, shown in the list of devices</List.Item>}
            </List.Root>
          </Box>
        );
      })}
    </Dialog>
  );
}
