import { Box, Button, Flex, Menu, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { Fragment, memo, type ReactNode } from "react";
import { hereQuery } from "../api/here";
import type { Answer, Network } from "../api/model";
import { useSite } from "../api/site";
import { Mono } from "../parts";
import { later } from "../parts/later";
import { useOpened } from "../parts/pick";
import { exposedOf, plural, servesOf, short } from "../parts/words";

const NetworkForm = later(() => import("./network-form").then((m) => m.NetworkForm));
const ModemForm = later(() => import("./modem-form").then((m) => m.ModemForm));
const RouterForm = later(() => import("./router-form").then((m) => m.RouterForm));

const kinds = { static: "fixed", dynamic: "changes", unknown: "not known whether it changes" };

type Fact = { key: string; top: ReactNode; below: string; about: string };

/** factsOf are the way from the outside to the DHCP range, and what is known of each part. */
function factsOf(a: Answer, here: string[]): Fact[] {
  const { site } = a;
  const facts: Fact[] = [];
  for (const state of a.routers) {
    const r = site.routers.find((x) => x.id === state.id);
    if (!r) continue;
    const about = `router:${r.id}`;
    if (!r.upstream)
      facts.push({
        key: `${r.id}-wan`,
        top: <Mono>{r.wan?.address || "outside address?"}</Mono>,
        below: `outside, ${kinds[r.wan?.kind ?? "unknown"]}${r.wan?.name ? ` · ${r.wan.name}` : ""}`,
        about,
      });
    const lines = r.form?.lines
      ? `${state.linesUsed} of ${r.form.lines} entries used`
      : plural(state.linesUsed, "entry", "entries");
    const exposed = exposedOf(site, r);
    facts.push({
      key: r.id,
      top: r.name || "Router",
      below: `${lines} · UPnP ${r.upnp === "unknown" ? "not known" : r.upnp}${exposed ? ` · all other ports to ${exposed}` : ""}`,
      about,
    });
    for (const id of servesOf(r)) {
      const n = site.networks.find((x) => x.id === id);
      if (n && !facts.some((f) => f.key === n.id)) facts.push(...networkFacts(a, n, here));
    }
  }
  for (const n of site.networks) if (!facts.some((f) => f.key === n.id)) facts.push(...networkFacts(a, n, here));
  return facts;
}

function networkFacts(a: Answer, n: Network, here: string[]): Fact[] {
  const lease = a.leases.find((l) => l.network === n.id);
  const about = `network:${n.id}`;
  return [
    {
      key: n.id,
      top: <Mono>{n.subnet}</Mono>,
      below: `${n.gateway ? `gateway ${short(n.gateway, n)}` : "no gateway known"}${here.includes(n.subnet) ? " · this computer is here" : ""}`,
      about,
    },
    {
      key: `${n.id}-dhcp`,
      top: (
        <Mono>
          {n.ranges.length
            ? n.ranges.map((r) => `${short(r.from, n)} – ${short(r.to, n)}`).join(", ")
            : "no DHCP range"}
        </Mono>
      ),
      below:
        n.ranges.length && lease
          ? `${lease.free} of ${lease.held} free · ${plural(lease.loose, "loose device")}`
          : "add the DHCP range",
      about,
    },
  ];
}

/** cut parts what is open into its sort and its id. */
function cut(opened: string): [sort: string, id: string] {
  const at = opened.indexOf(":");
  return at < 0 ? [opened, ""] : [opened.slice(0, at), opened.slice(at + 1)];
}

/** Facts is the line from the outside to the DHCP range; each fact opens its form. */
export const Facts = memo(function Facts() {
  const answer = useSite();
  const [opened, setOpen] = useOpened();
  const [what, id] = cut(opened ?? "");
  const here = useQuery(hereQuery).data ?? [];
  const facts = factsOf(
    answer,
    here.map((h) => h.subnet),
  );
  const network = answer.site.networks.find((n) => n.id === id);
  const router = answer.site.routers.find((r) => r.id === id);
  const close = () => setOpen(undefined);
  return (
    <>
      <Flex
        as="section"
        className="no-print facts"
        gridColumn="1 / -1"
        minH="facts"
        bg="card"
        borderBottom="1px solid"
        borderColor="hair"
        alignItems="center"
        pe="10px"
        aria-label="The way from outside to the DHCP range"
      >
        <Flex alignItems="center" overflowX="auto" flex="0 1 auto" minW={0} px="10px">
          {facts.map((f, i) => (
            <Fragment key={f.key}>
              {i > 0 && (
                <Box aria-hidden="true" flex="0 0 34px" borderTop="2px dashed" borderColor="brass.mark" mx="6px" />
              )}
              <Button
                variant="ghost"
                flex="none"
                display="block"
                px="6px"
                py="3px"
                fontWeight={400}
                textAlign="start"
                _hover={{ bg: "linen" }}
                title="Change this"
                onClick={() => setOpen(f.about)}
              >
                <Text>{f.top}</Text>
                <Text fontSize="label" color="muted">
                  {f.below}
                </Text>
              </Button>
            </Fragment>
          ))}
        </Flex>
        <Menu.Root positioning={{ strategy: "fixed" }}>
          <Menu.Trigger asChild>
            <Button variant="ghost" color="muted" ms="8px" aria-label="More networks and routers" flex="none">
              <Plus aria-hidden="true" />
            </Button>
          </Menu.Trigger>
          <Menu.Positioner>
            <Menu.Content>
              <Menu.Item value="network" onSelect={() => setOpen("network:")}>
                Add a network
              </Menu.Item>
              <Menu.Item value="router" onSelect={() => setOpen("router:")}>
                Add a router, also behind another
              </Menu.Item>
              <Menu.Item value="modem" onSelect={() => setOpen("modem:")}>
                Add the modem in front
              </Menu.Item>
            </Menu.Content>
          </Menu.Positioner>
        </Menu.Root>
      </Flex>
      {what === "network" && (!id || network) && <NetworkForm key={id} network={network} onClose={close} />}
      {what === "router" && (!id || router) && <RouterForm key={id} router={router} onClose={close} />}
      {what === "modem" && <ModemForm onClose={close} />}
    </>
  );
});
