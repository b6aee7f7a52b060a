import { Button, HStack, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { sayWhy } from "../api/client";
import { Muted, Refusal } from "../parts";
import { Dialog } from "../parts/dialog";
import { removedQuery, useRemovals } from "./removals";

const day = (at: string) => new Date(at).toLocaleDateString([], { day: "numeric", month: "long" });

/** RemovedSites lists the sites that were removed, and brings them back. */
export function RemovedSites({ onClose }: { onClose: () => void }) {
  const { data, error } = useQuery(removedQuery);
  const removals = useRemovals();
  return (
    <Dialog title="Removed sites" onClose={onClose}>
      {error && <Refusal>{sayWhy(error)}</Refusal>}
      {data?.length === 0 && <Text>None. A site that is removed stands here for 30 days.</Text>}
      <Stack as="ul" gap="10px" listStyleType="none">
        {data?.map((s) => (
          <HStack as="li" key={s.id} flexWrap="wrap" data-removed={s.id}>
            <div>
              <Text fontWeight={700} overflowWrap="anywhere">
                {s.name}
              </Text>
              <Muted fontSize="small">
                removed on {day(s.at)}, kept until {day(s.until)}
              </Muted>
            </div>
            <HStack ms="auto">
              <Button variant="solid" size="xs" onClick={() => removals.bringBack(s)}>
                Bring it back
              </Button>
              <Button size="xs" data-danger aria-label={`Delete ${s.name} for good`} onClick={() => removals.forget(s)}>
                Delete for good
              </Button>
            </HStack>
          </HStack>
        ))}
      </Stack>
    </Dialog>
  );
}
