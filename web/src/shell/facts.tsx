import { chakra } from "@chakra-ui/react";
import { Fragment, type ReactNode, useState } from "react";
import type { Network, Router } from "../api/model";
import { useSite } from "../api/site";
import { Mono } from "../parts";
import { placed, plural, short } from "../parts/words";
import { NetworkForm } from "./network-form";
import { RouterForm } from "./router-form";

const kinds: Record<string, string> = { static: "fixed", dynamic: "changes", unknown: "not known whether it changes" };

/** Facts is the line from the outside to the DHCP range; each fact opens its form. */
export function Facts() {
  const { site, routers } = useSite();
  const [open, setOpen] = useState<{ router: Router } | { network: Network }>();
  const chain = wayIn(site.routers);
  const facts: { key: string; top: ReactNode; below: string; open: () => void }[] = [];
  for (const r of chain) {
    const state = routers.find((s) => s.id === r.id);
    if (!r.upstream)
      facts.push({
        key: `${r.id}-wan`,
        top: <Mono>{r.wan?.address || "outside address?"}</Mono>,
        below: `outside, ${kinds[r.wan?.kind ?? "unknown"]}${r.wan?.name ? ` · ${r.wan.name}` : ""}`,
        open: () => setOpen({ router: r }),
      });
    facts.push({
      key: r.id,
      top: r.name || "Router",
      below: `${r.form?.lines ? `${state?.linesUsed} of ${r.form.lines} lines used` : plural(state?.linesUsed ?? 0, "line")} · UPnP ${r.upnp === "unknown" ? "not known" : r.upnp}`,
      open: () => setOpen({ router: r }),
    });
    const n = site.networks.find((x) => x.id === r.network);
    if (n) facts.push(...networkFacts(n));
  }
  for (const n of site.networks) if (!chain.some((r) => r.network === n.id)) facts.push(...networkFacts(n));

  function networkFacts(n: Network) {
    const leased = placed(site).filter((p) => p.iface.network === n.id && !p.iface.pin).length;
    return [
      {
        key: n.id,
        top: <Mono>{n.subnet}</Mono>,
        below: n.gateway ? `gateway ${short(n.gateway, n)}` : "no gateway known",
        open: () => setOpen({ network: n }),
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
        below: n.ranges.length ? `DHCP range · ${plural(leased, "loose device")}` : "add the DHCP range",
        open: () => setOpen({ network: n }),
      },
    ];
  }

  return (
    <>
      <chakra.div
        className="no-print facts"
        gridColumn="1 / -1"
        minH="facts"
        bg="card"
        borderBottom="1px solid"
        borderColor="hair"
        display="flex"
        alignItems="center"
        px="10px"
        overflowX="auto"
        role="group"
        aria-label="The way from outside to the DHCP range"
      >
        {facts.map((f, i) => (
          <Fragment key={f.key}>
            {i > 0 && (
              <chakra.span
                aria-hidden="true"
                flex="0 1 46px"
                minW="14px"
                borderTop="2px dashed"
                borderColor="brassMark"
                mx="6px"
              />
            )}
            <chakra.button
              type="button"
              onClick={f.open}
              px="6px"
              py="3px"
              borderRadius="field"
              _hover={{ bg: "linen" }}
              whiteSpace="nowrap"
              title="Change this"
            >
              <chakra.span display="block" fontSize="text">
                {f.top}
              </chakra.span>
              <chakra.span display="block" fontSize="label" color="muted">
                {f.below}
              </chakra.span>
            </chakra.button>
          </Fragment>
        ))}
      </chakra.div>
      {open && "router" in open && <RouterForm router={open.router} onClose={() => setOpen(undefined)} />}
      {open && "network" in open && <NetworkForm network={open.network} onClose={() => setOpen(undefined)} />}
    </>
  );
}

/** wayIn puts the routers in order from the provider inwards. */
function wayIn(routers: Router[]): Router[] {
  const out: Router[] = [];
  const follow = (upstream: string) => {
    for (const r of routers.filter((x) => (x.upstream ?? "") === upstream)) {
      out.push(r);
      follow(r.id);
    }
  };
  follow("");
  return out;
}
