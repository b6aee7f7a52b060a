import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { Refused, sayWhy } from "../api/client";
import type { Protocol, Router } from "../api/model";
import { useEdit, useOpened, useSite } from "../api/site";
import { Field, FormEnd, Input, Select, Stack, Textarea } from "../parts";
import { Dialog } from "../parts/dialog";

type Form = NonNullable<Router["form"]>;

type Typed = {
  name: string;
  address: string;
  kind: NonNullable<NonNullable<Router["wan"]>["kind"]>;
  wanName: string;
  upnp: NonNullable<Router["upnp"]>;
  upstream: string;
  own: string;
  portsPerLine: NonNullable<Form["portsPerLine"]>;
  renumber: NonNullable<Form["renumber"]>;
  protocols: string;
  limitsSender: NonNullable<Form["limitsSender"]>;
  lines: string;
  reserves: NonNullable<Form["reserves"]>;
  reservationLines: string;
};

/** typedOf is a router as the form shows it. */
function typedOf(router: Router): Typed {
  const form = router.form;
  return {
    name: router.name ?? "",
    address: router.wan?.address ?? "",
    kind: router.wan?.kind ?? "unknown",
    wanName: router.wan?.name ?? "",
    upnp: router.upnp ?? "unknown",
    upstream: router.upstream ?? "",
    own: router.ownPorts.map((o) => `${o.protocol} ${o.ports} ${o.why ?? ""}`.trim()).join("\n"),
    portsPerLine: form?.portsPerLine ?? "range",
    renumber: form?.renumber ?? "range",
    protocols: form?.protocols.length ? form.protocols.join(",") : "tcp,udp,both",
    limitsSender: form?.limitsSender ?? "no",
    lines: String(form?.lines || ""),
    reserves: form?.reserves ?? "anywhere",
    reservationLines: String(form?.reservationLines || ""),
  };
}

const choices = {
  kind: { dynamic: "changes now and then", static: "is fixed", unknown: "not known" },
  upnp: { on: "on", off: "off", unknown: "not known" },
  portsPerLine: { one: "one port", range: "a port or a range", list: "a list of ports and ranges" },
  renumber: { none: "not at all", one: "single ports", range: "single ports and whole ranges" },
  protocols: {
    "tcp,udp": "TCP or UDP, one a line",
    "tcp,udp,both": "TCP, UDP or both in one line",
    both: "always both",
  },
  limitsSender: { no: "no", address: "to one address", network: "to an address or network" },
  reserves: {
    anywhere: "anywhere in the LAN",
    "inside-range": "only inside the DHCP range",
    "outside-range": "only outside the DHCP range",
    no: "not at all",
  },
};

/** ownLines reads lines such as "tcp 443 the router's own page". */
function ownLines(text: string) {
  return text
    .split("\n")
    .map((l) => l.trim().split(/\s+/))
    .filter((w) => w[0])
    .map(([protocol = "", ports = "", ...why]) => ({
      protocol: protocol.toLowerCase() as Protocol,
      ports,
      ...(why.length ? { why: why.join(" ") } : {}),
    }));
}

/** RouterForm describes a router: its outside, what it keeps for itself and what its pages can express. */
export function RouterForm({ router, onClose }: { router: Router; onClose: () => void }) {
  const { site } = useSite();
  const edit = useEdit();
  const [refused, setRefused] = useState<Refused | string>();
  const { opened, catchUp } = useOpened();
  const { register, handleSubmit, reset, formState } = useForm<Typed>({ defaultValues: typedOf(router) });
  const { dirtyFields } = formState; // watched, so that what was typed stays on a conflict
  const save = handleSubmit(async (t) => {
    const changed = {
      ...router, // what the form does not show stays
      name: t.name,
      upstream: t.upstream,
      upnp: t.upnp,
      wan: { address: t.address.trim(), kind: t.kind, name: t.wanName.trim() },
      ownPorts: ownLines(t.own),
      form: {
        fields: [],
        reservationFields: [],
        ...router.form,
        portsPerLine: t.portsPerLine,
        renumber: t.renumber,
        protocols: t.protocols.split(","),
        limitsSender: t.limitsSender,
        lines: Number(t.lines || 0),
        reserves: t.reserves,
        reservationLines: Number(t.reservationLines || 0),
      },
    };
    try {
      await edit.mutateAsync({
        edits: [{ do: "put-router", router: changed }],
        version: opened,
        inForm: true,
        says: "The router is changed.",
      });
      onClose();
    } catch (error) {
      if (!(error instanceof Refused) || error.status !== 409) {
        setRefused(error instanceof Refused ? error : sayWhy(error));
        return;
      }
      const now = (await catchUp()).routers.find((r) => r.id === router.id);
      if (now) reset(typedOf(now), { keepDirtyValues: Object.keys(dirtyFields).length > 0 });
      setRefused(now ? error.message : "The router was removed in another window.");
    }
  });
  const select = (name: keyof typeof choices, label: string) => (
    <Field label={label}>
      {(p) => (
        <Select {...p} {...register(name)}>
          {Object.entries(choices[name]).map(([value, text]) => (
            <option key={value} value={value}>
              {text}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
  return (
    <Dialog title="The router and its form" onClose={onClose} wide>
      <chakra.form onSubmit={save}>
        <Stack gap="12px">
          <chakra.div display="grid" gridTemplateColumns="1fr 1fr 1fr" gap="12px">
            <Field label="Name">{(p) => <Input {...p} {...register("name")} />}</Field>
            <Field label="Outside address" hint="As its status page shows it">
              {(p) => <Input {...p} {...register("address")} fontFamily="mono" />}
            </Field>
            {select("kind", "The outside address")}
            <Field label="Dynamic DNS name" hint="studio.example.net">
              {(p) => <Input {...p} {...register("wanName")} fontFamily="mono" />}
            </Field>
            {select("upnp", "UPnP is")}
            <Field label="Stands behind">
              {(p) => (
                <Select {...p} {...register("upstream")}>
                  <option value="">nothing: it faces the provider</option>
                  {site.routers
                    .filter((r) => r.id !== router.id)
                    .map((r) => (
                      <option key={r.id} value={r.id}>
                        {r.name || r.id}
                      </option>
                    ))}
                </Select>
              )}
            </Field>
          </chakra.div>
          <chakra.h3 fontWeight={700}>What its forwarding page can express</chakra.h3>
          <chakra.div display="grid" gridTemplateColumns="1fr 1fr 1fr" gap="12px">
            {select("portsPerLine", "A line takes")}
            {select("protocols", "Protocols")}
            {select("renumber", "Renumbers")}
            {select("limitsSender", "Limits who may connect")}
            <Field label="Lines it has" hint="Empty for no limit">
              {(p) => <Input {...p} {...register("lines")} type="number" min={0} />}
            </Field>
            {select("reserves", "Reserves addresses")}
          </chakra.div>
          <Field label="Outside ports it keeps for itself" hint="One a line: tcp 443 the router's own page">
            {(p) => <Textarea {...p} {...register("own")} rows={2} fontFamily="mono" fontSize="small" />}
          </Field>
          <FormEnd
            refused={typeof refused === "string" ? refused : refused?.message}
            leave="Leave as it was"
            go="Change the router"
            busy={edit.isPending}
            onLeave={onClose}
          />
        </Stack>
      </chakra.form>
    </Dialog>
  );
}
