import { Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ask, Refused, sayWhy } from "../api/client";
import { FormDialog } from "../parts/dialog";
import { notice } from "../parts/notice";

/** Restore asks before a backup takes the place of everything. */
export function Restore({ file, onClose }: { file: File; onClose: () => void }) {
  const client = useQueryClient();
  const [refused, setRefused] = useState<string>();
  const [partly, setPartly] = useState(false);
  const [busy, setBusy] = useState(false);
  const restore = async () => {
    setBusy(true);
    try {
      const { before, lost } = await ask<{ before: string; lost: string }>(
        partly ? "/api/restore?damaged=take" : "/api/restore",
        { method: "POST", body: file },
      );
      client.clear();
      if (lost !== "")
        notice.warn(
          `${file.name} is restored in part. Left out, since they are damaged: ${lost}. What was here before is in ${before}.`,
        );
      else notice.say(`${file.name} is restored. What was here before is in ${before}.`);
      onClose();
      await client.refetchQueries();
    } catch (error) {
      setRefused(sayWhy(error));
      setPartly(error instanceof Refused && error.of("damaged") !== undefined);
      setBusy(false);
    }
  };
  return (
    <FormDialog
      asks
      title="Restore a backup"
      onClose={onClose}
      go={busy ? "Restoring…" : partly ? "Take what is whole" : "Restore it"}
      danger
      busy={busy}
      refused={refused}
      onGo={restore}
    >
      <Text>
        All sites become what they are in {file.name}, with their history. What is here now is first written to a file
        beside the database, and its name is told.
      </Text>
    </FormDialog>
  );
}
