import { Button, Stack, Text } from "@chakra-ui/react";
import { Dialog } from "../parts/dialog";
import type { Asked, Way } from "./import";

type AskProps = { asked: Asked; onTake: (file: File, way: Way) => void; onClose: () => void };

/** AskWhich asks whether a site file is the site that is here, as it has become elsewhere, or another one. */
export function AskWhich({ asked: { file, site }, onTake, onClose }: AskProps) {
  return (
    <Dialog asks title="There is a site of that name" onClose={onClose}>
      <Stack gap="12px">
        <Text>
          {file.name} may be the same site as it has become in another copy of the program. Taken as an update, it is
          one change that can be undone, and the history stays.
        </Text>
        <Stack gap="8px">
          <Button variant="solid" data-first onClick={() => onTake(file, { as: "update", site })}>
            Update the site that is here
          </Button>
          <Button onClick={() => onTake(file, { as: "new" })}>Keep both: make a new site of it</Button>
          <Button onClick={onClose}>Cancel</Button>
        </Stack>
      </Stack>
    </Dialog>
  );
}
