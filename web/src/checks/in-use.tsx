import { Button, HStack, Stack, Text, Textarea } from "@chakra-ui/react";
import { useState } from "react";
import { useInUse } from "../api/checks";
import { sayWhy } from "../api/client";
import { Labelled, Refusal, Section } from "../parts";

/** InUse looks whether somebody is connected to a service now, as far as that can be told. */
export function InUse({ service }: { service: string }) {
  const look = useInUse(service);
  const [asks, setAsks] = useState(false);
  const [list, setList] = useState("");
  return (
    <Section title="In use now">
      {look.error && !asks && <Refusal>{sayWhy(look.error)}</Refusal>}
      {look.data && (
        <Text fontSize="small" mb="6px" role="status" data-in-use>
          {look.data.says}
        </Text>
      )}
      <Stack gap="6px">
        {asks && (
          <Labelled
            label="What the router shows of its connections"
            error={look.error ? sayWhy(look.error) : undefined}
          >
            <Textarea
              autoFocus
              rows={4}
              fontFamily="mono"
              fontSize="small"
              value={list}
              placeholder="tcp 6 431999 ESTABLISHED src=…"
              onChange={(e) => {
                setList(e.target.value);
                look.reset();
              }}
            />
          </Labelled>
        )}
        <HStack gap="6px" flexWrap="wrap">
          <Button size="xs" onClick={() => look.mutate(list)} disabled={look.isPending}>
            {look.isPending ? "Looking…" : look.data || look.error ? "Look again" : "Is it in use?"}
          </Button>
          {!asks && (
            <Button variant="plain" fontSize="small" onClick={() => setAsks(true)}>
              Paste the router's list
            </Button>
          )}
        </HStack>
      </Stack>
    </Section>
  );
}
