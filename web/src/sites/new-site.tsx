import { Box, Button, HStack, Input, SimpleGrid, Stack, Tabs, Text, Textarea } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, must, Refused, sayWhy } from "../api/client";
import { hereQuery, saysHere } from "../api/here";
import type { Attached } from "../api/model";
import { sitesQuery } from "../api/site";
import { Labelled, Muted, Refusal } from "../parts";
import { FormDialog } from "../parts/dialog";

const blank = { name: "", subnet: "", gateway: "", dns: "", range: "" };
type Typed = typeof blank;

/** NewSite makes a site: of the network that this computer is attached to, of what a laptop prints, or typed. */
export function NewSite({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const here = useQuery(hereQuery);
  const [t, setT] = useState(blank);
  const set = (part: Partial<Typed>) => setT((now) => ({ ...now, ...part }));
  const [way, setWay] = useState<string>();
  const [refused, setRefused] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const found = here.data ?? [];
  const shown = way ?? (found.length > 0 || here.isPending ? "here" : "type");
  const make = async (body: Typed) => {
    setBusy(true);
    setRefused(undefined);
    try {
      const made = must(await api.POST("/api/sites", { body }));
      client.invalidateQueries({ queryKey: sitesQuery.queryKey });
      navigate(`/s/${encodeURIComponent(made.id)}/survey`);
    } catch (error) {
      setRefused(error);
      setBusy(false);
    }
  };
  const fault = (field: string) => (refused instanceof Refused ? refused.of(field) : undefined);
  const field = (name: keyof Typed, label: string, hint: string, where: string = name) => (
    <Labelled label={label} error={fault(where)} hint={hint}>
      <Input
        value={t[name]}
        fontFamily={name === "name" ? undefined : "mono"}
        onChange={(e) => set({ [name]: e.currentTarget.value })}
      />
    </Labelled>
  );
  const use = (a: Attached) =>
    make({
      ...t,
      subnet: a.subnet,
      gateway: a.gateway ?? "",
      dns: a.dns.join(", "),
      name: t.name || `Site at ${a.subnet}`,
    });
  const filled = (part: Partial<Typed>) => {
    set(part); // on top of what was typed while the text was read
    setWay("type");
  };
  return (
    <FormDialog
      title="New site"
      wide
      onClose={onClose}
      refused={refused && !fault("name") ? sayWhy(refused) : undefined}
      go={shown === "type" ? "Make the site" : undefined}
      busy={busy}
      disabled={shown !== "type" && !(shown === "here" && found[0])}
      onGo={() => (shown === "here" && found[0] ? use(found[0]) : make(t))}
    >
      {field("name", "Name", "The client, or the building; it can be changed later")}
      <Tabs.Root value={shown} onValueChange={(e) => setWay(e.value)} lazyMount>
        <Tabs.List aria-label="How the network is told">
          <Tabs.Trigger value="here">Found here</Tabs.Trigger>
          <Tabs.Trigger value="paste">Paste</Tabs.Trigger>
          <Tabs.Trigger value="type">Type</Tabs.Trigger>
        </Tabs.List>
        <Tabs.Content value="here">
          <FoundHere found={found} busy={busy} pending={here.isPending} onUse={use} />
        </Tabs.Content>
        <Tabs.Content value="paste">
          <Pasted onFilled={filled} />
        </Tabs.Content>
        <Tabs.Content value="type">
          <SimpleGrid columns={{ base: 1, sm: 2 }} gap="12px">
            {field("subnet", "Subnet", "10.48.16.0/24, or address and mask: 10.48.16.7 255.255.255.0")}
            {field("gateway", "Gateway", "The router's address; .1 will do")}
            {field("range", "DHCP range", "What the router hands out: .100-.179", "ranges")}
            {field("dns", "DNS", "What devices are to ask for names; empty for the router")}
          </SimpleGrid>
        </Tabs.Content>
      </Tabs.Root>
    </FormDialog>
  );
}

type FoundProps = { found: Attached[]; busy: boolean; pending: boolean; onUse: (a: Attached) => void };

/** FoundHere offers the networks that this computer is attached to, the likeliest first. */
function FoundHere({ found, busy, pending, onUse }: FoundProps) {
  if (pending) return <Text role="status">Looking at the adapters…</Text>;
  if (found.length === 0)
    return (
      <Text color="muted">
        This computer is attached to no network just now. Plug it in, paste what a laptop prints, or type the subnet.
      </Text>
    );
  return (
    <Stack as="ul" gap="8px">
      {found.map((a, i) => (
        <HStack
          as="li"
          key={a.name + a.own}
          border="1px solid"
          borderColor={i === 0 ? "brass.mark" : "hair"}
          borderRadius="field"
          px="12px"
          py="8px"
          gap="12px"
          flexWrap="wrap"
          data-here={a.subnet}
        >
          <Box flex="1 1 260px">
            <Text fontFamily="mono" fontWeight={700}>
              {a.subnet}
            </Text>
            <Text fontSize="small">
              {a.name}: {saysHere(a)}
            </Text>
            {a.sites.length > 0 && <Muted fontSize="small">There is a site with this network already.</Muted>}
          </Box>
          <Button variant={i === 0 ? "solid" : "outline"} disabled={busy} onClick={() => onUse(a)}>
            Make a site of it
          </Button>
        </HStack>
      ))}
    </Stack>
  );
}

/** Pasted reads what a laptop prints of its own network, and fills the fields with it. */
function Pasted({ onFilled }: { onFilled: (part: Partial<Typed>) => void }) {
  const [text, setText] = useState("");
  const [refused, setRefused] = useState<string>();
  const read = async () => {
    try {
      const facts = must(await api.POST("/api/parse/settings", { body: { text } }));
      const adapter = facts.adapters?.find((a) => a.gateway) ?? facts.adapters?.[0];
      onFilled({
        subnet: facts.subnet ?? adapter?.own ?? "",
        gateway: facts.gateway ?? adapter?.gateway ?? "",
        dns: facts.dns.join(", "),
        range: facts.ranges.map((r) => `${r.from}-${r.to}`).join(", "),
      });
    } catch (error) {
      setRefused(sayWhy(error));
    }
  };
  return (
    <Stack gap="8px">
      <Labelled
        label="What the laptop prints"
        hint="ipconfig /all, ip addr and ip route, nmcli, or its network settings"
      >
        <Textarea rows={7} fontFamily="mono" value={text} onChange={(e) => setText(e.currentTarget.value)} />
      </Labelled>
      {refused && <Refusal>{refused}</Refusal>}
      <Button alignSelf="start" disabled={!text.trim()} onClick={read}>
        Fill in the fields
      </Button>
    </Stack>
  );
}
