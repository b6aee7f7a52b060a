import { chakra } from "@chakra-ui/react";
import type { Device, Router } from "../api/model";
import { useSite } from "../api/site";
import { Legend, PinHead, stateOf } from "../marks/pin";
import { Button, Mono, Muted, Row } from "../parts";
import { usePick } from "../parts/pick";
import { label, networkOf, ownerOf, short } from "../parts/words";

/** The number of devices from which a place takes the whole width, in columns. */
const crowded = 16;

const gear = ["switch", "radio", "router"];

/** inOrder lists the routers from the provider inwards. */
function inOrder(routers: Router[]): Router[] {
  const out: Router[] = [];
  let next = routers.filter((r) => !r.upstream);
  while (next.length > 0 && out.length < routers.length) {
    out.push(...next);
    const outer = next.map((r) => r.id);
    next = routers.filter((r) => r.upstream && outer.includes(r.upstream));
  }
  return out;
}

/** Sketch draws the site: from outside through the routers to the places and what is there. It prints. */
export function Sketch() {
  const { site } = useSite();
  const places = new Map<string, Device[]>();
  for (const d of site.devices) {
    const place = d.place || "";
    places.set(place, [...(places.get(place) ?? []), d]);
  }
  const named = [...places.keys()].filter(Boolean).sort();
  const outer = site.routers.find((r) => !r.upstream);
  return (
    <chakra.section aria-label="Sketch of the site" className="sheet" data-sketch>
      <chakra.h2 className="print-only" display="none" fontSize="title" fontWeight={700}>
        {site.name}
      </chakra.h2>
      <Row justifyContent="space-between" flexWrap="wrap" mb="10px">
        <Legend states={["reservation", "device", "both", "loose", "router"]} />
        <Button size="small" className="no-print" onClick={() => window.print()}>
          Print
        </Button>
      </Row>
      <chakra.ol display="flex" flexDirection="column" alignItems="center">
        <Stop title={outer?.wan?.address || "outside"} below={outer?.wan?.name || "the provider"} />
        {inOrder(site.routers).map((r) => {
          const network = networkOf(site, r.network);
          return (
            <Stop
              key={r.id}
              title={r.name || "router"}
              below={network ? `${network.subnet} · ${short(network.gateway, network) || "no gateway"}` : ""}
              router
            />
          );
        })}
      </chakra.ol>
      <chakra.div h="16px" w="0" m="auto" borderLeft="2px dashed" borderColor="brassMark" />
      <chakra.div
        display="grid"
        gridTemplateColumns="repeat(auto-fill, minmax(186px, 1fr))"
        gap="12px"
        borderTop="2px dashed"
        borderColor="brassMark"
        pt="12px"
      >
        {[...named, ...(places.has("") ? [""] : [])].map((place) => (
          <Place key={place} name={place} devices={places.get(place) ?? []} />
        ))}
      </chakra.div>
    </chakra.section>
  );
}

function Stop({ title, below, router }: { title: string; below: string; router?: boolean }) {
  return (
    <chakra.li display="flex" flexDirection="column" alignItems="center">
      {router && <chakra.span h="14px" w="0" borderLeft="2px dashed" borderColor="brassMark" aria-hidden="true" />}
      <chakra.span
        display="flex"
        gap="8px"
        alignItems="center"
        border="1px solid"
        borderColor="hair"
        borderRadius="field"
        bg="card"
        px="12px"
        py="4px"
      >
        {router && (
          <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
            <PinHead state="router" />
          </svg>
        )}
        <span>
          <chakra.b display="block">{title}</chakra.b>
          <Mono fontSize="label" color="muted">
            {below}
          </Mono>
        </span>
      </chakra.span>
    </chakra.li>
  );
}

/** Place is a room with its devices: what links others stands first. */
function Place({ name, devices }: { name: string; devices: Device[] }) {
  const links = devices.filter((d) => gear.includes(d.kind ?? ""));
  const others = devices.filter((d) => !links.includes(d));
  return (
    <chakra.section
      border="1px solid"
      borderColor="hair"
      borderRadius="8px"
      bg="card"
      px="9px"
      py="6px"
      className="step"
      data-place={name}
      gridColumn={devices.length > crowded ? "1 / -1" : undefined}
    >
      <chakra.h3 fontWeight={700} fontSize="small">
        {name || <Muted>no place yet</Muted>} <Muted fontSize="label">{devices.length}</Muted>
      </chakra.h3>
      <chakra.ul css={devices.length > crowded ? { columnWidth: "186px" } : undefined}>
        {[...links, ...others].map((d) => (
          <Thing key={d.id} device={d} link={links.includes(d)} />
        ))}
      </chakra.ul>
    </chakra.section>
  );
}

function Thing({ device: d, link }: { device: Device; link: boolean }) {
  const { site, snags } = useSite();
  const [pick, setPick] = usePick();
  const picked = ownerOf(pick, site)?.id === d.id;
  const stops = snags.some((s) => s.weight === "stops" && s.about.includes(`device:${d.id}`));
  return (
    <li>
      <chakra.button
        type="button"
        onClick={() => setPick(`device:${d.id}`)}
        display="flex"
        gap="6px"
        alignItems="center"
        w="100%"
        py="2px"
        px="3px"
        borderRadius="tag"
        fontSize="small"
        bg={picked ? "brassSoft" : undefined}
        borderBottom={link ? "1px solid" : undefined}
        borderColor="brassMark"
        aria-pressed={picked}
        _hover={{ bg: "body" }}
      >
        <svg width="16" height="16" viewBox="-8 -8 16 16" aria-hidden="true" style={{ flex: "none" }}>
          <PinHead state={stateOf(d.interfaces.find((i) => i.pin)?.pin ?? undefined)} snag={stops} />
        </svg>
        <chakra.span
          flex={1}
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
          fontWeight={link ? 700 : 400}
        >
          {label(d)}
        </chakra.span>
        <Mono fontSize="label">
          {d.interfaces
            .map((i) => short(i.pin?.address ?? i.seen, networkOf(site, i.network)))
            .filter(Boolean)
            .join(" ")}
        </Mono>
      </chakra.button>
    </li>
  );
}
