import { Textarea } from "@chakra-ui/react";
import { useState } from "react";
import { api, must } from "../api/client";
import type { Site } from "../api/model";
import { Labelled } from "../parts";
import { FormDialog } from "../parts/dialog";
import { Clashes } from "../parts/draft";
import { useDraft } from "../parts/drafts";

const read = (site: Site) => ({ text: site.makers.map((m) => `${m.prefix} ${m.name}`).join("\n") });

/** MakersForm changes the user's own list of who makes which MAC addresses. */
export function MakersForm({ onClose }: { onClose: () => void }) {
  const draft = useDraft("makers", read);
  const [kept] = useState(draft.dirty);
  const leave = () => {
    draft.discard();
    onClose();
  };
  const save = async () => {
    const done = await draft.commit(() => ({
      says: "The list of makers is changed.",
      of: async (_, { text }) => [
        { do: "makers", makers: must(await api.POST("/api/parse/makers", { body: { text } })) },
      ],
    }));
    if (done) onClose();
  };
  return (
    <FormDialog
      title="Makers"
      kept={kept}
      onClose={leave}
      refused={draft.refused && `${lineOf(draft.paths)}${draft.refused}`}
      go="Change the list"
      busy={draft.sending}
      onGo={save}
    >
      <Labelled
        label="Your own list"
        hint="One a line: the first digits of a MAC address, as many as you like, and the maker. It comes before the public registry."
      >
        <Textarea
          rows={12}
          fontFamily="mono"
          value={draft.values?.text ?? ""}
          onChange={(e) => draft.type("text", e.currentTarget.value)}
        />
      </Labelled>
      <Clashes draft={draft} />
    </FormDialog>
  );
}

/** lineOf says in which line of the text something is wrong. */
function lineOf(paths: string[]): string {
  const at = /makers\[(\d+)\]/.exec(paths.join(" "));
  return at ? `Line ${Number(at[1]) + 1}: ` : "";
}
