import { Button, HStack, Input, SimpleGrid, Stack } from "@chakra-ui/react";
import { api, must } from "../api/client";
import { there, useEdit } from "../api/edit";
import type { Edit, Router, Service, Site } from "../api/model";
import { useSite } from "../api/site";
import { Labelled, Refusal, Select } from "../parts";
import { chosen } from "../parts/choices";
import { Clashes } from "../parts/draft";
import { useDraft } from "../parts/drafts";
import { usePick } from "../parts/pick";
import { label, type Wish } from "../parts/words";

export const protocols = [
  ["tcp", "tcp"],
  ["udp", "udp"],
  ["both", "both"],
] as const;

const opens = [
  ["in", "keep it in"],
  ["any", "open it, any port will do"],
  ["same", "open it, same port as on the device"],
  ["exact", "open it at exactly …"],
] as const;

const words = {
  name: "Name",
  ports: "Device ports",
  protocol: "Protocol",
  open: "From outside",
  exact: "Exactly at",
  prefer: "Rather at",
  from: "Only from",
  canSetTo: "Can be set on the device to",
  claims: "Says that it opened by itself",
};
type Typed = Record<keyof typeof words, string>;

/** typedOf is a service as the form shows it. */
function typedOf({ name, protocol, ports, canSetTo, claims, open }: Service): Typed {
  const port = open?.port ?? "any";
  const how = !open ? "in" : port === "any" || port === "same" ? port : "exact";
  return {
    name: name ?? "",
    protocol,
    ports,
    canSetTo: canSetTo.join(" "),
    claims: claims ?? "",
    open: how,
    exact: how === "exact" ? port : "",
    prefer: open?.prefer ?? "",
    from: open?.from.join(" ") ?? "",
  };
}

const list = (text: string) => text.split(/[,\s]+/).filter(Boolean);

/** serviceOf is a service with what was typed; what the form does not show stays. */
function serviceOf(was: Service, t: Typed): Service {
  const { open: wish, ...others } = was;
  const how = chosen(opens, t.open);
  const open = {
    ...wish,
    port: how === "exact" ? t.exact.trim() : how,
    prefer: how === "any" ? t.prefer.trim() : "",
    from: list(t.from),
  };
  return {
    ...others,
    name: t.name.trim(),
    protocol: chosen(protocols, t.protocol),
    ports: t.ports.trim(),
    canSetTo: t.canSetTo.trim().split(/\s+/).filter(Boolean),
    claims: t.claims.trim() || undefined,
    ...(how === "in" ? {} : { open: open.prefer ? open : { port: open.port, from: open.from, router: open.router } }),
  };
}

/** wordsOf says what saving a service came to. */
function wordsOf(was: Typed, now: Typed): string {
  if (now.open === "in") return was.open === "in" ? "The service is changed." : "The service stays inside.";
  return was.open === "in" ? "The service is to be opened." : "The service is changed.";
}

const find = (site: Site, id: string) => site.devices.flatMap((d) => d.services).find((s) => s.id === id);

/** ServiceForm says what a service is and whether it is opened or kept in. */
export function ServiceForm({ wish: { device, service }, router }: { wish: Wish; router: Router }) {
  const { id, version } = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  const draft = useDraft(`service/${service.id}`, (site: Site) => {
    const now = find(site, service.id);
    return now && typedOf(now);
  });
  const t = draft.values ?? typedOf(service);
  const save = () =>
    draft.commit((texts) => {
      const opened = texts.open !== "in";
      return {
        title: `${opened ? "open" : "keep inside"}: ${label(device)} ${texts.name.trim()}`,
        says: wordsOf(typedOf(service), texts),
        of: async ({ site }, typed) => {
          const put = serviceOf(there(find(site, service.id)), typed);
          const edits: Edit[] = [{ do: "put-service", id: device.id, service: put }];
          if (put.open) return edits;
          const query = { service: service.id };
          const shut = must(await api.GET("/api/sites/{id}/keep-in", { params: { path: { id }, query } }));
          return [...edits, ...shut.edits];
        },
      };
    });
  const remove = () => {
    setPick(undefined);
    edit.mutate({ edits: [{ do: "remove-service", id: service.id }], version, says: "The service is removed." });
  };
  const field = (name: keyof Typed, hint?: string, placeholder?: string) => (
    <Labelled label={words[name]} hint={hint} error={draft.fault(name)}>
      <Input
        value={t[name]}
        placeholder={placeholder}
        onChange={(e) => draft.type(name, e.currentTarget.value)}
        fontFamily={name === "name" ? undefined : "mono"}
      />
    </Labelled>
  );
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      <Stack gap="8px">
        {field("name")}
        <SimpleGrid columns={2} gap="8px">
          {field("ports", "80, 16400-16463")}
          <Labelled label={words.protocol}>
            <Select
              options={protocols}
              value={t.protocol}
              onChange={(e) => draft.type("protocol", e.currentTarget.value)}
            />
          </Labelled>
        </SimpleGrid>
        <Labelled label={words.open}>
          <Select options={opens} value={t.open} onChange={(e) => draft.type("open", e.currentTarget.value)} />
        </Labelled>
        {t.open === "exact" && field("exact")}
        {t.open === "any" && field("prefer", "Taken where it is free")}
        {t.open !== "in" &&
          field(
            "from",
            router.form?.limitsSender === "no"
              ? "This router cannot limit who connects"
              : "Addresses or networks; empty for anyone",
            "anyone",
          )}
        {field("canSetTo", "Other ports it offers, with blanks between")}
        {field("claims", "Outside ports that its own page says it had the router open (UPnP); empty for none")}
        {draft.refused && <Refusal>{draft.refused}</Refusal>}
        <Clashes draft={draft} words={words} />
        <HStack flexWrap="wrap">
          <Button type="submit" size="xs" variant="solid" disabled={!draft.dirty}>
            {t.open === "in" ? "Keep it in" : "Save the wish"}
          </Button>
          {draft.dirty && (
            <Button size="xs" onClick={() => draft.discard()}>
              Put it back
            </Button>
          )}
          <Button size="xs" data-danger onClick={remove}>
            Remove it
          </Button>
        </HStack>
      </Stack>
    </form>
  );
}
