import { Button, Input, SimpleGrid, Textarea } from "@chakra-ui/react";
import { useState } from "react";
import { api, must } from "../api/client";
import { useEdit } from "../api/edit";
import type { Network, Site } from "../api/model";
import { useSite } from "../api/site";
import { Labelled } from "../parts";
import { FormDialog } from "../parts/dialog";
import { Clashes } from "../parts/draft";
import { useDraft } from "../parts/drafts";
import { short } from "../parts/words";

const words = {
  name: "Name",
  subnet: "Subnet",
  gateway: "Gateway",
  dns: "DNS",
  ranges: "DHCP range",
  bands: "Bands",
  keepFree: "Keep free",
};
type Typed = Record<keyof typeof words, string>;

const blank: Typed = { name: "", subnet: "", gateway: "", dns: "", ranges: "", bands: "", keepFree: "" };

/** typedOf is a network as the form shows it. */
function typedOf(network: Network): Typed {
  const stretch = (s: { from: string; to: string }) => `${short(s.from, network)}-${short(s.to, network)}`;
  return {
    name: network.name ?? "",
    subnet: network.subnet,
    gateway: network.gateway ?? "",
    dns: network.dns.join(", "),
    ranges: network.ranges.map(stretch).join(", "),
    bands: network.bands.map((b) => `${stretch(b)} ${b.name}: ${b.kinds.join(", ")}`).join("\n"),
    keepFree: network.keepFree.map((k) => `${stretch(k)} ${k.why ?? ""}`).join("\n"),
  };
}

/** NetworkForm changes a network, or adds one: typed in any usual way, understood by the server. */
export function NetworkForm({ network, onClose }: { network?: Network; onClose: () => void }) {
  const { site, version } = useSite();
  const edit = useEdit();
  const draft = useDraft(`network/${network?.id ?? "new"}`, (s: Site) => {
    const now = s.networks.find((n) => n.id === network?.id);
    return now ? typedOf(now) : network ? undefined : blank;
  });
  const t = draft.values ?? blank;
  const [kept] = useState(draft.dirty);
  const leave = () => {
    draft.discard();
    onClose();
  };
  const save = async () => {
    const done = await draft.commit(() => ({
      says: network ? "The network is changed." : "The network is added.",
      of: async ({ site: now }, { name, ...typed }) => {
        const understood = must(await api.POST("/api/parse/network", { body: typed }));
        const was = now.networks.find((n) => n.id === network?.id); // what the form does not show stays
        return [{ do: "put-network", network: { ...was, ...understood, id: network?.id ?? "", name: name.trim() } }];
      },
    }));
    if (done) onClose();
  };
  const remove = () =>
    network &&
    edit.mutate(
      {
        edits: [{ do: "remove-network", id: network.id }],
        version,
        says: `${network.name || network.subnet} is removed.`,
      },
      { onSuccess: leave },
    );
  const field = (name: keyof Typed, hint?: string) => (
    <Labelled label={words[name]} error={draft.fault(name)} hint={hint}>
      <Input
        value={t[name]}
        onChange={(e) => draft.type(name, e.currentTarget.value)}
        fontFamily={name === "name" ? undefined : "mono"}
      />
    </Labelled>
  );
  const area = (name: keyof Typed, rows: number, hint: string) => (
    <Labelled label={words[name]} error={draft.fault(name)} hint={hint}>
      <Textarea
        rows={rows}
        fontFamily="mono"
        value={t[name]}
        onChange={(e) => draft.type(name, e.currentTarget.value)}
      />
    </Labelled>
  );
  return (
    <FormDialog
      title={network ? "The network" : "Add a network"}
      wide
      kept={kept}
      onClose={leave}
      refused={draft.refused}
      go={network ? "Change the network" : "Add the network"}
      busy={draft.sending}
      onGo={save}
      aside={
        network &&
        site.networks.length > 1 && (
          <Button data-danger onClick={remove}>
            Remove the network
          </Button>
        )
      }
    >
      <SimpleGrid columns={2} gap="12px">
        {field("subnet", "10.48.16.0/24, or address and mask")}
        {field("gateway", "The router's address; .1 will do")}
        {field("ranges", ".100-.179; several with commas")}
        {field("dns", "What devices are to ask for names")}
        {field("name", "Such as guests, or the barn")}
      </SimpleGrid>
      {area("bands", 6, "One a line: .20-.39 cameras: camera, recorder")}
      {area("keepFree", 2, "One a line: .240-.254 the landlord's lift")}
      <Clashes draft={draft} words={words} />
    </FormDialog>
  );
}
