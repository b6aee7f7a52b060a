import { Box, Button, Flex, HStack, Stack, Text } from "@chakra-ui/react";
import { useMemo, useState } from "react";
import { sayWhy } from "../api/client";
import { useEdit } from "../api/edit";
import type { Edit, Forward } from "../api/model";
import { usePlan, useSite } from "../api/site";
import { Refusal } from "../parts";
import { plural } from "../parts/words";

const noGhosts: Forward[] = [];

/** useSuggestedPorts asks for outside ports and takes them; where pins are missing first, for those as well. */
export function useSuggestedPorts() {
  const edit = useEdit();
  const [asking, setAsking] = useState(false);
  const plan = usePlan("ports", asking);
  const shut = plan.data?.unmet.length ?? 0;
  const whole = usePlan("both", asking && shut > 0).data;
  const changes = asking ? (plan.data?.changes ?? []) : [];
  const ghosts = useMemo(
    () =>
      asking && plan.data
        ? plan.data.changes.flatMap((c) => (c.edit.do === "put-forward" ? [c.edit.forward] : []))
        : noGhosts,
    [asking, plan.data],
  );
  /** what else can be done where services would stay shut */
  const more = whole && whole.unmet.length < shut ? whole : undefined;
  const take = (edits: Edit[], version: number, title?: string, all = true) =>
    edit.mutate(
      { edits, version, title, says: `${plural(edits.length, "change")} taken.` },
      { onSuccess: () => all && edits.length > 1 && setAsking(false) },
    );
  const takeAll = () => {
    if (plan.data && changes.length > 0)
      take(
        changes.map((c) => c.edit),
        plan.data.version,
        `take ${plural(changes.length, "suggested change")}`,
      );
  };
  /** takeFor takes what is suggested for one service. */
  const takeFor = (service: string) => {
    const mine = changes.filter(
      ({ edit }) =>
        (edit.do === "put-forward" && edit.forward.service === service) ||
        (edit.do === "put-service" && edit.service.id === service),
    );
    if (!plan.data || mine.length === 0) return false;
    const edits = mine.map((c) => c.edit);
    take(edits, plan.data.version, undefined, false);
    return true;
  };
  const words = plan.isFetching
    ? "Working it out…"
    : plan.error
      ? "It failed"
      : changes.length > 0
        ? `Take ${plural(changes.length, "change")}`
        : shut > 0
          ? `${plural(shut, "stays", "stay")} shut`
          : "Nothing to change";
  return { asking, setAsking, plan, changes, ghosts, more, words, take, takeAll, takeFor };
}

type Suggested = ReturnType<typeof useSuggestedPorts>;

/** How many changes are listed at first, and by each press for more. */
const first = 5;
const further = 60;

/** SuggestedList says what is suggested and why, one by one, and what stays shut. */
export function SuggestedList({ suggested: { asking, plan, changes, more, take } }: { suggested: Suggested }) {
  const { left } = useSite();
  const [most, setMost] = useState(first);
  if (!asking) return null;
  if (plan.error) return <Refusal>The suggestion failed: {sayWhy(plan.error)}</Refusal>;
  if (!plan.data) return null;
  const { unmet, proven, version } = plan.data;
  return (
    <Box
      bg="brass.soft"
      borderLeft="4px solid"
      borderColor="brass.mark"
      px="12px"
      py="8px"
      borderRadius="tag"
      flex="none"
      data-suggested={changes.length}
    >
      <Stack as="ul" aria-label="Suggested" gap="2px">
        {changes.slice(0, most).map((c) => (
          <Flex as="li" key={JSON.stringify(c.edit)} gap="10px">
            <Text flex={1}>{c.why}</Text>
            <Button variant="plain" onClick={() => take([c.edit], version)}>
              {wordOf(c.edit)}
            </Button>
          </Flex>
        ))}
        {unmet.slice(0, most).map((u) => (
          <Text as="li" key={u.says} color="madder">
            {u.says}
          </Text>
        ))}
      </Stack>
      <HStack gap="14px" flexWrap="wrap" mt="4px">
        {Math.max(changes.length, unmet.length) > most && (
          <Button variant="plain" onClick={() => setMost(most + further)}>
            Show more of {changes.length} changes{unmet.length > 0 ? ` and ${unmet.length} that stay shut` : ""}
          </Button>
        )}
        {more && (
          <Button
            variant="solid"
            size="xs"
            onClick={() =>
              take(
                more.changes.map((c) => c.edit),
                more.version,
                "take the whole suggestion, pins first",
              )
            }
          >
            Pin what they need and open: {plural(more.changes.length, "change")}
          </Button>
        )}
      </HStack>
      {!proven && <Text>The search was cut off: there may be a better answer.</Text>}
      {changes.length === 0 && unmet.length === 0 && (
        <Text>
          {left.open === 0
            ? "No service is to be opened. Pick one and say that it is."
            : "Everything that is to be opened is open."}
        </Text>
      )}
    </Box>
  );
}

function wordOf(e: Edit): string {
  if (e.do === "put-forward") return `Open at ${e.forward.outside}`;
  if (e.do === "put-service") return `Set to ${e.service.ports}`;
  return "Shut it";
}
