import { Button, FileUpload, List, Stack, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { catalogueQuery } from "../api/catalogue";
import { ask, sayWhy } from "../api/client";
import { Refusal } from "../parts";
import { Dialog, DialogFooter } from "../parts/dialog";
import { notice } from "../parts/notice";
import { plural } from "../parts/words";

const own = "/api/catalogue/own";

/** Kinds shows the kinds of device that are known, and takes in a firm's own. */
export function Kinds({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const { data, error } = useQuery(catalogueQuery);
  const [refused, setRefused] = useState<string>();
  const put = async (body: Blob | string) => {
    await ask<object>(own, { method: "PUT", body });
    await client.invalidateQueries({ queryKey: catalogueQuery.queryKey });
  };
  /** change puts other kinds in the place of the firm's own; the way back is offered. */
  const change = async (body: Blob | string, says: string) => {
    try {
      const before = JSON.stringify(await ask<object>(own, { method: "GET" }));
      await put(body);
      setRefused(undefined);
      notice.say(says, { label: "Undo", run: () => put(before).catch((e) => notice.warn(sayWhy(e))) });
    } catch (e) {
      setRefused(sayWhy(e));
    }
  };
  const mine = data?.own ?? [];
  /** save writes a file that can be taken in again: one's own kinds, or all as a pattern. */
  const save = () => {
    if (!data) return;
    const kinds = data.kinds.filter((k) => mine.length === 0 || mine.includes(k.id));
    const file = new Blob([`${JSON.stringify({ format: data.format, kinds }, null, 2)}\n`], {
      type: "application/json",
    });
    const link = document.createElement("a");
    link.href = URL.createObjectURL(file);
    link.download = "vestpin-catalogue.json";
    link.click();
    URL.revokeObjectURL(link.href);
  };
  return (
    <Dialog wide title="Kinds of device" onClose={onClose}>
      <Stack gap="12px">
        <Text>
          A kind says what a device may be wanted for and which ports that needs. The program brings{" "}
          {data ? data.kinds.length - mine.length : "…"}; a file of your own adds to them, or replaces those of the same
          id, in all sites.
        </Text>
        {error && <Refusal>{sayWhy(error)}</Refusal>}
        <List.Root columnCount={2} aria-label="Kinds of device" fontSize="small">
          {(data?.kinds ?? []).map((k) => (
            <List.Item key={k.id} breakInside="avoid">
              <b>{k.name}</b>
              {mine.includes(k.id) && ", your own"}:{" "}
              {k.purposes.map((p) => p.name).join("; ") || "nothing of it is opened"}
            </List.Item>
          ))}
        </List.Root>
        {refused && <Refusal>{refused}</Refusal>}
      </Stack>
      <FileUpload.Root onFileAccept={(e) => e.files[0] && change(e.files[0], "Your own kinds are taken in.")}>
        <FileUpload.HiddenInput aria-label="Catalogue file" />
        <DialogFooter
          onClose={onClose}
          leave="Close"
          aside={
            <>
              <FileUpload.Trigger asChild>
                <Button variant="solid" data-first>
                  Take in a file
                </Button>
              </FileUpload.Trigger>
              <Button onClick={save} disabled={!data}>
                {mine.length > 0 ? "Save your own as a file" : "Save them as a file"}
              </Button>
              {mine.length > 0 && (
                <Button
                  data-danger
                  onClick={() =>
                    change('{"format":"vestpin-catalogue/1","kinds":[]}', `${plural(mine.length, "kind")} removed.`)
                  }
                >
                  Remove your own
                </Button>
              )}
            </>
          }
        />
      </FileUpload.Root>
    </Dialog>
  );
}
