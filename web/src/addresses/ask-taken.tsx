import { Button, Stack, Text } from "@chakra-ui/react";
import { useEdit } from "../api/edit";
import type { Drop } from "../api/model";
import { Dialog } from "../parts/dialog";
import { ifaceLabel } from "../parts/words";
import type { Asked } from "./asked";

/** AskTaken says what is at an address, and what may be done about it. */
export function AskTaken({
  asked: { placed, to, drop, version },
  onClose,
}: {
  asked: Asked;
  onClose: (done: boolean) => void;
}) {
  const edit = useEdit();
  const name = ifaceLabel(placed.device, placed.iface);
  const take = (edits: Drop["edits"], says: string) =>
    edit.mutate({ edits, version, says }, { onSuccess: () => onClose(true), onError: () => onClose(false) });
  return (
    <Dialog asks title={`${to} is not free`} onClose={() => onClose(false)}>
      <Stack gap="12px">
        <Text>
          It is {drop.taken}. {drop.says ? "The two can change places, or " : ""}
          {drop.says ? "both" : name} can be put there all the same, which raises a snag.
        </Text>
        <Stack gap="8px" alignItems="stretch">
          {drop.swap.length > 0 && (
            <Button variant="solid" data-first whiteSpace="normal" onClick={() => take(drop.swap, `${drop.says}.`)}>
              Swap: {drop.says}
            </Button>
          )}
          <Button whiteSpace="normal" onClick={() => take(drop.edits, `${name} is pinned at ${to}.`)}>
            Pin {name} at {to} all the same
          </Button>
          <Button onClick={() => onClose(false)}>Cancel</Button>
        </Stack>
      </Stack>
    </Dialog>
  );
}
