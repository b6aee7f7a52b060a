import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import { Refused, sayWhy } from "../api/client";
import { useEdit, useSite } from "../api/site";
import { Field, FormEnd, Stack, Textarea } from "../parts";
import { Dialog } from "../parts/dialog";

/** MakersForm changes the user's own list of who makes which MAC addresses. */
export function MakersForm({ onClose }: { onClose: () => void }) {
  const { site } = useSite();
  const edit = useEdit();
  const [text, setText] = useState(() => site.makers.map((m) => `${m.prefix} ${m.name}`).join("\n"));
  const [fault, setFault] = useState<string>();
  const save = async () => {
    const makers = text
      .split("\n")
      .map((l) => l.trim())
      .filter(Boolean)
      .map((l) => {
        const [prefix = "", ...name] = l.split(/\s+/);
        return { prefix, name: name.join(" ") };
      });
    try {
      await edit.mutateAsync({ edits: [{ do: "makers", makers }], says: "The list of makers is changed." });
      onClose();
    } catch (error) {
      const at = error instanceof Refused ? /makers\[(\d+)\]/.exec(error.message) : null;
      setFault(at ? `Line ${Number(at[1]) + 1}: ${sayWhy(error)}` : sayWhy(error));
    }
  };
  return (
    <Dialog title="Makers" onClose={onClose}>
      <chakra.form
        onSubmit={(e) => {
          e.preventDefault();
          save();
        }}
      >
        <Stack gap="12px">
          <Field
            label="Your own list"
            hint="One a line: the first digits of a MAC address, as many as you like, and the maker. It comes before the public registry."
          >
            {(p) => (
              <Textarea
                {...p}
                rows={12}
                fontFamily="mono"
                fontSize="small"
                value={text}
                onChange={(e: React.ChangeEvent<HTMLTextAreaElement>) => setText(e.target.value)}
              />
            )}
          </Field>
          <FormEnd
            refused={fault}
            leave="Leave as it was"
            go="Change the list"
            busy={edit.isPending}
            onLeave={onClose}
          />
        </Stack>
      </chakra.form>
    </Dialog>
  );
}
