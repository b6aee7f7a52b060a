import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { api, must, Refused, sayWhy } from "../api/client";
import type { Network } from "../api/model";
import { useEdit, useOpened } from "../api/site";
import { Field, FormEnd, Input, Stack, Textarea } from "../parts";
import { Dialog } from "../parts/dialog";
import { short } from "../parts/words";

type Typed = {
  name: string;
  subnet: string;
  gateway: string;
  dns: string;
  ranges: string;
  bands: string;
  keepFree: string;
};

/** stretchLines reads lines such as ".20-.39 cameras: camera, recorder". */
function stretchLines(text: string) {
  return text
    .split("\n")
    .map((l) => l.trim())
    .filter(Boolean)
    .map((l) => {
      const at = l.search(/\s/);
      const range = at < 0 ? l : l.slice(0, at);
      const rest = at < 0 ? "" : l.slice(at).trim();
      const [name = "", kinds = ""] = rest.split(":");
      return { range, rest, name: name.trim(), kinds: kinds.trim() };
    });
}

/** typedOf is a network as the form shows it. */
function typedOf(network: Network): Typed {
  return {
    name: network.name ?? "",
    subnet: network.subnet,
    gateway: network.gateway ?? "",
    dns: network.dns.join(", "),
    ranges: network.ranges.map((r) => `${short(r.from, network)}-${short(r.to, network)}`).join(", "),
    bands: network.bands
      .map((b) => `${short(b.from, network)}-${short(b.to, network)} ${b.name}: ${b.kinds.join(", ")}`)
      .join("\n"),
    keepFree: network.keepFree
      .map((k) => `${short(k.from, network)}-${short(k.to, network)} ${k.why ?? ""}`)
      .join("\n"),
  };
}

/** NetworkForm changes a network: typed in any usual way, understood by the server. */
export function NetworkForm({ network, onClose }: { network: Network; onClose: () => void }) {
  const edit = useEdit();
  const [refused, setRefused] = useState<Refused | string>();
  const { opened, catchUp } = useOpened();
  const { register, handleSubmit, reset, formState } = useForm<Typed>({ defaultValues: typedOf(network) });
  const { dirtyFields } = formState; // watched, so that what was typed stays on a conflict
  const save = handleSubmit(async (t) => {
    try {
      const understood = must(
        await api.POST("/api/parse/network", {
          body: {
            subnet: t.subnet,
            gateway: t.gateway,
            dns: t.dns,
            ranges: t.ranges,
            bands: stretchLines(t.bands).map(({ name, range, kinds }) => ({ name, range, kinds })),
            keepFree: stretchLines(t.keepFree).map(({ range, rest }) => ({ range, why: rest })),
          },
        }),
      );
      await edit.mutateAsync({
        edits: [
          {
            do: "put-network",
            network: {
              ...network, // what the form does not show stays
              name: t.name,
              subnet: understood.subnet,
              gateway: understood.gateway,
              dns: understood.dns,
              ranges: understood.ranges,
              bands: understood.bands,
              keepFree: understood.keepFree,
            },
          },
        ],
        says: "The network is changed.",
        version: opened,
        inForm: true,
      });
      onClose();
    } catch (error) {
      if (!(error instanceof Refused) || error.status !== 409) {
        setRefused(error instanceof Refused ? error : sayWhy(error));
        return;
      }
      const now = (await catchUp()).networks.find((n) => n.id === network.id);
      if (now) reset(typedOf(now), { keepDirtyValues: Object.keys(dirtyFields).length > 0 });
      setRefused(now ? error.message : "The network was removed in another window.");
    }
  });
  const fault = (field: string) => (refused instanceof Refused ? refused.of(field) : undefined);
  return (
    <Dialog title="The network" onClose={onClose} wide>
      <chakra.form onSubmit={save}>
        <Stack gap="12px">
          <chakra.div display="grid" gridTemplateColumns="1fr 1fr" gap="12px">
            <Field label="Subnet" error={fault("subnet")} hint="10.48.16.0/24, or address and mask">
              {(p) => <Input {...p} {...register("subnet")} fontFamily="mono" />}
            </Field>
            <Field label="Gateway" error={fault("gateway")} hint="The router's address; .1 will do">
              {(p) => <Input {...p} {...register("gateway")} fontFamily="mono" />}
            </Field>
            <Field label="DHCP range" error={fault("ranges")} hint=".100-.179; several with commas">
              {(p) => <Input {...p} {...register("ranges")} fontFamily="mono" />}
            </Field>
            <Field label="DNS" error={fault("dns")} hint="What devices are to ask for names">
              {(p) => <Input {...p} {...register("dns")} fontFamily="mono" />}
            </Field>
          </chakra.div>
          <Field label="Bands" error={fault("bands")} hint="One a line: .20-.39 cameras: camera, recorder">
            {(p) => <Textarea {...p} {...register("bands")} rows={6} fontFamily="mono" fontSize="small" />}
          </Field>
          <Field label="Keep free" error={fault("keepFree")} hint="One a line: .240-.254 the landlord's lift">
            {(p) => <Textarea {...p} {...register("keepFree")} rows={2} fontFamily="mono" fontSize="small" />}
          </Field>
          <FormEnd
            refused={typeof refused === "string" ? refused : refused?.message}
            leave="Leave as it was"
            go="Change the network"
            busy={edit.isPending}
            onLeave={onClose}
          />
        </Stack>
      </chakra.form>
    </Dialog>
  );
}
