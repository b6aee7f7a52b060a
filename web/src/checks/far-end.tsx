import { Button, Input, Stack, Text } from "@chakra-ui/react";
import { useState } from "react";
import { usePairing } from "../api/checks";
import { sayWhy } from "../api/client";
import type { Checks } from "../api/model";
import { Labelled, Mono } from "../parts";
import { Dialog } from "../parts/dialog";

/** FarEndForm pairs with a helper at the far end by one line of text, and forgets it. */
export function FarEndForm({ far, onClose }: { far: Checks["far"]; onClose: () => void }) {
  const [text, setText] = useState("");
  const pair = usePairing(onClose);
  return (
    <Dialog title="The far end" onClose={onClose}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (text.trim()) pair.mutate(text);
        }}
      >
        <Stack gap="12px">
          <Text>
            Start <Mono>vestpin afar</Mono> on any machine elsewhere, in the office or at home, and paste the line that
            it prints. It tries only the address that asks it, and only for those who have this line.
          </Text>
          {far.paired && (
            <Text>
              Paired with <Mono>{far.at}</Mono>.
            </Text>
          )}
          <Labelled label="Pairing text" error={pair.error ? sayWhy(pair.error) : undefined}>
            <Input
              value={text}
              onChange={(e) => {
                setText(e.currentTarget.value);
                pair.reset();
              }}
              fontFamily="mono"
              autoComplete="off"
              spellCheck={false}
              placeholder="vpa1-…"
            />
          </Labelled>
        </Stack>
        <Stack direction="row" justifyContent="end" mt="14px">
          {far.paired && (
            <Button data-danger onClick={() => pair.mutate("")}>
              Forget it
            </Button>
          )}
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="solid" disabled={text.trim() === "" || pair.isPending}>
            Pair with it
          </Button>
        </Stack>
      </form>
    </Dialog>
  );
}
