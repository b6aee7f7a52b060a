import { Button, Stack, Text } from "@chakra-ui/react";
import { useEdit } from "../api/edit";
import type { Edit } from "../api/model";
import { Dialog } from "../parts/dialog";
import { type Asked, said } from "./asked";

/** AskInTheWay says what has the outside port, and what may be done about it. */
export function AskInTheWay({
  asked: { name, pulled, version },
  onClose,
}: {
  asked: Asked;
  onClose: (done: boolean) => void;
}) {
  const edit = useEdit();
  const take = (change: { edits: Edit[]; title?: string; says: string }) =>
    edit.mutate({ ...change, version }, { onSuccess: () => onClose(true), onError: () => onClose(false) });
  return (
    <Dialog asks title={`Outside port ${pulled.outside} is not free`} onClose={() => onClose(false)}>
      <Stack gap="12px">
        <Text>{pulled.taken}. Opened there all the same, only one of the two would get it.</Text>
        <Stack gap="8px" alignItems="stretch">
          {pulled.swap.length > 0 && (
            <Button
              variant="solid"
              whiteSpace="normal"
              data-first
              onClick={() => take({ edits: pulled.swap, says: `${pulled.says}.` })}
            >
              Swap: {pulled.says}
            </Button>
          )}
          {pulled.instead && (
            <Button
              variant={pulled.swap.length > 0 ? "outline" : "solid"}
              onClick={() =>
                pulled.instead && take(said(name, pulled.instead.outside, pulled.instead.edits, pulled.pins))
              }
            >
              Open at {pulled.instead.outside}, which is free
            </Button>
          )}
          <Button onClick={() => take(said(name, pulled.outside, pulled.edits, pulled.pins))}>
            Open at {pulled.outside} all the same
          </Button>
          <Button onClick={() => onClose(false)}>Cancel</Button>
        </Stack>
      </Stack>
    </Dialog>
  );
}
