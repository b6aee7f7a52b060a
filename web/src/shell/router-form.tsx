import { Button, Heading, HStack, Input, SimpleGrid, Textarea } from "@chakra-ui/react";
import { useState } from "react";
import { api, must } from "../api/client";
import { useEdit } from "../api/edit";
import type { Protocol, Router, Site } from "../api/model";
import { useSite } from "../api/site";
import { Labelled, Select } from "../parts";
import { Check } from "../parts/check";
import { chosen } from "../parts/choices";
import { FormDialog } from "../parts/dialog";
import { Clashes } from "../parts/draft";
import { useDraft } from "../parts/drafts";
import { label, networkLabel, routerLabel } from "../parts/words";

const kinds = [
  ["unknown", "not known"],
  ["dynamic", "changes now and then"],
  ["static", "is fixed"],
] as const;
const upnps = [
  ["unknown", "not known"],
  ["on", "on"],
  ["off", "off"],
] as const;
const takes = [
  ["range", "a port or a range"],
  ["one", "one port"],
  ["list", "a list of ports and ranges"],
] as const;
const renumbers = [
  ["range", "single ports and whole ranges"],
  ["one", "single ports"],
  ["none", "not at all"],
] as const;
const protocols = [
  ["tcp,udp,both", "TCP, UDP or both in one entry"],
  ["tcp,udp", "TCP or UDP, one an entry"],
  ["both", "always both"],
] as const;
/** protocolsOf are the words that a choice stands for. */
const protocolsOf = (typed: string): Protocol[] =>
  typed.split(",").flatMap((word) => (word === "tcp" || word === "udp" || word === "both" ? [word] : []));
const limits = [
  ["no", "no"],
  ["address", "to one address"],
  ["network", "to an address or network"],
] as const;
const loops = [
  ["unknown", "not known"],
  ["yes", "yes"],
  ["no", "no"],
] as const;
const reserves = [
  ["anywhere", "anywhere in the LAN"],
  ["inside-range", "only inside the DHCP range"],
  ["outside-range", "only outside the DHCP range"],
  ["no", "not at all"],
] as const;

const words = {
  name: "Name",
  address: "Outside address",
  kind: "The outside address",
  wanName: "Dynamic DNS name",
  upnp: "UPnP is",
  loopsBack: "Answers at its outside address from inside",
  network: "Its network",
  networks: "Also routes to",
  exposedHost: "All other ports go to",
  upstream: "Stands behind",
  portsPerLine: "An entry takes",
  protocols: "Protocols",
  renumber: "Renumbers",
  limitsSender: "Limits who may connect",
  lines: "Entries it has",
  reserves: "Reserves addresses",
  reservationLines: "Reservations it has",
  ownPorts: "Outside ports it keeps for itself",
};
type Typed = Record<keyof typeof words, string>;

/** typedOf is a router as the form shows it. */
function typedOf(router: Partial<Router>): Typed {
  const { form, wan } = router;
  return {
    name: router.name ?? "",
    address: wan?.address ?? "",
    kind: wan?.kind ?? "unknown",
    wanName: wan?.name ?? "",
    upnp: router.upnp ?? "unknown",
    loopsBack: router.loopsBack ?? "unknown",
    network: router.network ?? "",
    networks: (router.networks ?? []).slice(1).join(","),
    exposedHost: router.exposedHost ?? "",
    upstream: router.upstream ?? "",
    ownPorts: (router.ownPorts ?? []).map((o) => `${o.protocol} ${o.ports} ${o.why ?? ""}`.trim()).join("\n"),
    portsPerLine: form?.portsPerLine ?? "range",
    renumber: form?.renumber ?? "range",
    protocols: form?.protocols.length ? form.protocols.join(",") : "tcp,udp,both",
    limitsSender: form?.limitsSender ?? "no",
    lines: String(form?.lines || ""),
    reserves: form?.reserves ?? "anywhere",
    reservationLines: String(form?.reservationLines || ""),
  };
}

/** alsoOf are the networks beside its first to which a router routes. */
const alsoOf = (t: Typed) => t.networks.split(",").filter((id) => id && id !== t.network);

/** hosts are who could get all other ports: devices and routers behind, on the networks of the router. */
function hosts(site: Site, id: string | undefined, t: Typed): (readonly [string, string])[] {
  const on = new Set([t.network, ...alsoOf(t)]);
  const list = site.devices.flatMap((d) =>
    d.interfaces
      .filter((i) => on.has(i.network))
      .map((i) => [i.id, `${label(d)}${i.pin ? ` (${i.pin.address})` : ""}`] as const),
  );
  const behind = site.routers.flatMap((r) =>
    r.upstream === id && r.wan?.address
      ? [[r.wan.address, `${routerLabel(r)}, the router behind it (${r.wan.address})`] as const]
      : [],
  );
  const all = [["", "nobody"] as const, ...behind, ...list];
  return all.some(([to]) => to === t.exposedHost) ? all : [...all, [t.exposedHost, t.exposedHost] as const];
}

/** changed is a router with what was typed; what the form does not show stays. */
function changed(was: Router | undefined, t: Typed, ownPorts: Router["ownPorts"]): Router {
  return {
    ...was,
    id: was?.id ?? "",
    network: t.network,
    networks: [t.network, ...alsoOf(t)],
    exposedHost: t.exposedHost,
    name: t.name.trim(),
    upstream: t.upstream,
    upnp: chosen(upnps, t.upnp),
    loopsBack: chosen(loops, t.loopsBack),
    wan: { address: t.address.trim(), kind: chosen(kinds, t.kind), name: t.wanName.trim() },
    ownPorts,
    form: {
      fields: [],
      reservationFields: [],
      ...was?.form,
      portsPerLine: chosen(takes, t.portsPerLine),
      renumber: chosen(renumbers, t.renumber),
      protocols: protocolsOf(t.protocols),
      limitsSender: chosen(limits, t.limitsSender),
      lines: Number(t.lines || 0),
      reserves: chosen(reserves, t.reserves),
      reservationLines: Number(t.reservationLines || 0),
    },
  };
}

/** RouterForm describes a router, or adds one: its outside, what it keeps for itself and what its pages can express. */
export function RouterForm({ router, onClose }: { router?: Router; onClose: () => void }) {
  const { site, version } = useSite();
  const edit = useEdit();
  const blank = typedOf({ network: site.networks.at(-1)?.id });
  const draft = useDraft(`router/${router?.id ?? "new"}`, (s: Site) => {
    const now = s.routers.find((r) => r.id === router?.id);
    return now ? typedOf(now) : router ? undefined : blank;
  });
  const t = draft.values ?? blank;
  const others = site.routers.filter((r) => r.id !== router?.id);
  const beside = site.networks.filter((n) => n.id !== t.network);
  const [kept] = useState(draft.dirty);
  const leave = () => {
    draft.discard();
    onClose();
  };
  const save = async () => {
    const done = await draft.commit(() => ({
      says: router ? "The router is changed." : "The router is added.",
      of: async ({ site: now }, typed) => {
        const own = must(await api.POST("/api/parse/own-ports", { body: { text: typed.ownPorts } }));
        const was = now.routers.find((r) => r.id === router?.id);
        return [{ do: "put-router", router: changed(was, typed, own) }];
      },
    }));
    if (done) onClose();
  };
  const remove = () =>
    router &&
    edit.mutate(
      { edits: [{ do: "remove-router", id: router.id }], version, says: `${router.name || "The router"} is removed.` },
      { onSuccess: leave },
    );
  const select = (name: keyof Typed, options: readonly (readonly [string, string])[]) => (
    <Labelled label={words[name]}>
      <Select options={options} value={t[name]} onChange={(e) => draft.type(name, e.currentTarget.value)} />
    </Labelled>
  );
  const field = (name: keyof Typed, hint?: string) => (
    <Labelled label={words[name]} hint={hint} error={draft.fault(name)}>
      <Input
        value={t[name]}
        onChange={(e) => draft.type(name, e.currentTarget.value)}
        fontFamily={name === "name" ? undefined : "mono"}
        inputMode={name === "lines" || name === "reservationLines" ? "numeric" : undefined}
      />
    </Labelled>
  );
  return (
    <FormDialog
      title={router ? "The router and its form" : "Add a router"}
      wide
      kept={kept}
      onClose={leave}
      refused={draft.refused}
      go={router ? "Change the router" : "Add the router"}
      busy={draft.sending}
      onGo={save}
      aside={
        router &&
        others.length > 0 && (
          <Button data-danger onClick={remove}>
            Remove the router
          </Button>
        )
      }
    >
      <SimpleGrid columns={{ base: 1, sm: 3 }} gap="12px">
        {field("name")}
        {field("address", "As its status page shows it")}
        {select("kind", kinds)}
        {field("wanName", "studio.example.net")}
        {select("upnp", upnps)}
        {select("upstream", [
          ["", "nothing: it faces the provider"],
          ...others.map((r) => [r.id, routerLabel(r)] as const),
        ])}
        {select(
          "network",
          site.networks.map((n) => [n.id, networkLabel(n)] as const),
        )}
        {select("loopsBack", loops)}
        {select("exposedHost", hosts(site, router?.id, t))}
      </SimpleGrid>
      {beside.length > 0 && (
        <>
          <Heading as="h3">{words.networks}</Heading>
          <HStack flexWrap="wrap" gap="6px 18px" role="group" aria-label={words.networks}>
            {beside.map((n) => (
              <Check
                key={n.id}
                checked={alsoOf(t).includes(n.id)}
                onChange={(on) =>
                  draft.type(
                    "networks",
                    beside
                      .map((o) => o.id)
                      .filter((o) => (o === n.id ? on : alsoOf(t).includes(o)))
                      .join(","),
                  )
                }
              >
                {n.name} <span className="mono">{n.subnet}</span>
              </Check>
            ))}
          </HStack>
        </>
      )}
      <Heading as="h3">What its forwarding page can express</Heading>
      <SimpleGrid columns={{ base: 1, sm: 3 }} gap="12px">
        {select("portsPerLine", takes)}
        {select("protocols", protocols)}
        {select("renumber", renumbers)}
        {select("limitsSender", limits)}
        {field("lines", "Empty for no limit")}
        {select("reserves", reserves)}
        {field("reservationLines", "Empty for no limit")}
      </SimpleGrid>
      <Labelled label={words.ownPorts} hint="One a line: tcp 443 the router's own page" error={draft.fault("ownPorts")}>
        <Textarea
          rows={2}
          fontFamily="mono"
          value={t.ownPorts}
          onChange={(e) => draft.type("ownPorts", e.currentTarget.value)}
        />
      </Labelled>
      <Clashes draft={draft} words={words} />
    </FormDialog>
  );
}
