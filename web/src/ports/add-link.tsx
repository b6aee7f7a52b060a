import { Input, SimpleGrid } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { sayWhy } from "../api/client";
import { useEdit } from "../api/edit";
import type { Edit, Link, Site } from "../api/model";
import { siteQuery, sitesQuery, useSite } from "../api/site";
import { Labelled, Segments, Select } from "../parts";
import { FormDialog } from "../parts/dialog";
import { useForm } from "../parts/kept";
import { ifaceLabel, label, placed, services } from "../parts/words";

const ends = [
  { id: "here", label: "This site listens" },
  { id: "there", label: "The other listens" },
] as const;

type Typed = Record<"other" | "name" | "far" | "dial" | "service" | "caller" | "farService" | "farCaller", string> & {
  listens: (typeof ends)[number]["id"];
};

const blank: Typed = {
  other: "",
  name: "",
  far: "",
  dial: "",
  service: "",
  caller: "",
  farService: "",
  farCaller: "",
  listens: "here",
};

/** AddLink connects two sites: one end listens, the other calls; both sites get their end. */
export function AddLink({ onClose }: { onClose: () => void }) {
  const a = useSite();
  const edit = useEdit();
  const [busy, setBusy] = useState(false);
  const [id] = useState(() => `link-${crypto.randomUUID().slice(0, 8)}`); // one link, however often it is sent
  const sites = (useQuery(sitesQuery).data ?? []).filter((s) => s.id !== a.id && !s.damaged);
  const { t, set, kept, end } = useForm("link", blank);
  const leave = () => {
    end();
    onClose();
  };
  const [fault, setFault] = useState<string>();
  const { data: other } = useQuery({ ...siteQuery(t.other), enabled: t.other !== "" });
  const here = t.listens === "here";
  const add = async () => {
    const mine = { id, name: t.name, listens: here, service: t.service, caller: t.caller };
    const theirs = { id, name: t.name, listens: !here, service: t.farService, caller: t.farCaller };
    const dial = here ? undefined : t.dial.trim() || undefined;
    const far = { site: t.other || undefined, name: other?.site.name ?? t.far.trim(), dial };
    setBusy(true);
    try {
      await edit.make({
        of: ({ site }) => linked(site, mine, far),
        title: `link with ${far.name}`,
        says: `The link with ${far.name || "the other site"} is made${other ? ", at both sites" : ""}.`,
        inForm: true,
        with: other && {
          site: other.id,
          title: `link with ${a.site.name}`,
          of: ({ site }) => linked(site, theirs, { site: a.id, name: a.site.name }),
        },
      });
      leave();
    } catch (e) {
      setFault(sayWhy(e));
      setBusy(false);
    }
  };
  return (
    <FormDialog
      title="Link with another site"
      wide
      kept={kept}
      onClose={leave}
      go="Link them"
      busy={busy}
      refused={fault}
      onGo={add}
    >
      <SimpleGrid columns={2} gap="12px">
        <Labelled label="The other site">
          <Select
            value={t.other}
            onChange={(e) => set({ other: e.currentTarget.value, farService: "", farCaller: "" })}
            options={[["", "one that is not in this program"], ...sites.map((s): [string, string] => [s.id, s.name])]}
            data-first
          />
        </Labelled>
        {t.other === "" ? (
          <Labelled label="What it is called">
            <Input value={t.far} onChange={(e) => set({ far: e.currentTarget.value })} />
          </Labelled>
        ) : (
          <Labelled label="What it is for">
            <Input
              value={t.name}
              placeholder="picture and sound"
              onChange={(e) => set({ name: e.currentTarget.value })}
            />
          </Labelled>
        )}
      </SimpleGrid>
      <Segments label="Which end listens" value={t.listens} options={ends} onChange={(listens) => set({ listens })} />
      <SimpleGrid columns={2} gap="12px">
        <EndField
          site={a.site}
          listens={here}
          name="here"
          value={here ? t.service : t.caller}
          onChange={(v) => set(here ? { service: v } : { caller: v })}
        />
        {other ? (
          <EndField
            site={other.site}
            listens={!here}
            name="there"
            value={here ? t.farCaller : t.farService}
            onChange={(v) => set(here ? { farCaller: v } : { farService: v })}
          />
        ) : (
          !here && (
            <Labelled label="What is dialled" hint="Host and port">
              <Input
                value={t.dial}
                placeholder="hall.example.net:7001"
                fontFamily="mono"
                onChange={(e) => set({ dial: e.currentTarget.value })}
              />
            </Labelled>
          )
        )}
      </SimpleGrid>
    </FormDialog>
  );
}

type FieldProps = {
  site: Site;
  listens: boolean;
  name: "here" | "there";
  value: string;
  onChange: (id: string) => void;
};

/** EndField chooses the service that listens at an end, or the interface that calls from it. */
function EndField({ site, listens, name, value, onChange }: FieldProps) {
  const options = listens
    ? services(site).map((w): [string, string] => [
        w.service.id,
        `${label(w.device)}, ${w.service.name || "service"} ${w.service.ports}`,
      ])
    : placed(site).map((p): [string, string] => [p.iface.id, ifaceLabel(p.device, p.iface)]);
  return (
    <Labelled
      label={listens ? `Listens ${name}` : `Calls from ${name}`}
      hint={listens ? "It needs a forward" : "It needs none"}
    >
      <Select value={value} onChange={(e) => onChange(e.currentTarget.value)} options={[["", "choose"], ...options]} />
    </Labelled>
  );
}

type End = { id: string; name: string; listens: boolean; service: string; caller: string };

/** linked are the edits that give a site its end of a link: the end, and what listens there is opened. */
function linked(site: Site, { id, name, listens, service, caller }: End, far: Link["far"]): Edit[] {
  const common = { id, name: name.trim(), far };
  const end: Link = listens ? { ...common, end: "listens", service } : { ...common, end: "calls", interface: caller };
  const shut = listens && services(site).some((w) => w.service.id === service && !w.service.open);
  const opens: Edit[] = shut ? [{ do: "open", id: service, open: { port: "any", from: [] } }] : [];
  return [...opens, { do: "links", links: [...site.links.filter((l) => l.id !== id), end] }];
}
