import { Box, Button, Grid, Heading, HStack, List, Text } from "@chakra-ui/react";
import type { Device } from "../api/model";
import { useSite } from "../api/site";
import { Legend, PinHead, stateOf } from "../marks/pin";
import { Mono, Muted } from "../parts";
import { usePick } from "../parts/pick";
import { indexOf, label, networkOf, ownerOf, servesOf, short } from "../parts/words";

/** The number of devices from which a place takes the whole width, in columns. */
const crowded = 16;

const gear = ["switch", "radio", "router"];

/** Sketch draws the site: from outside through the routers to the places and what is there. It prints. */
export function Sketch() {
  const { site, routers } = useSite();
  const places = new Map<string, Device[]>();
  for (const d of site.devices) {
    const place = d.place || "";
    places.set(place, [...(places.get(place) ?? []), d]);
  }
  const named = [...places.keys()].filter(Boolean).sort();
  const inwards = routers.flatMap((s) => site.routers.find((r) => r.id === s.id) ?? []);
  const [outer] = inwards;
  return (
    <Box as="section" aria-label="Sketch of the site" className="sheet" data-sketch>
      <Heading className="print-only" display="none" size="lg">
        {site.name}
      </Heading>
      <HStack justifyContent="space-between" flexWrap="wrap" mb="10px">
        <Legend states={["reservation", "device", "both", "loose", "router"]} />
        <Button size="xs" className="no-print" onClick={() => window.print()}>
          Print
        </Button>
      </HStack>
      <List.Root as="ol" display="flex" flexDirection="column" alignItems="center">
        <Stop title={outer?.wan?.address || "outside"} below={outer?.wan?.name || "the provider"} />
        {inwards.map((r) => {
          const below = servesOf(r).flatMap((id) => {
            const n = networkOf(site, id);
            return n ? [`${n.subnet} · ${short(n.gateway, n) || "no gateway"}`] : [];
          });
          return <Stop key={r.id} title={r.name || "router"} below={below.join(", ")} router />;
        })}
      </List.Root>
      <Box h="16px" w="0" m="auto" borderLeft="2px dashed" borderColor="brass.mark" />
      <Grid
        templateColumns="repeat(auto-fill, minmax(186px, 1fr))"
        gap="12px"
        borderTop="2px dashed"
        borderColor="brass.mark"
        pt="12px"
      >
        {[...named, ...(places.has("") ? [""] : [])].map((place) => (
          <Place key={place} name={place} devices={places.get(place) ?? []} />
        ))}
      </Grid>
    </Box>
  );
}

function Stop({ title, below, router }: { title: string; below: string; router?: boolean }) {
  return (
    <List.Item display="flex" flexDirection="column" alignItems="center">
      {router && <Box h="14px" w="0" borderLeft="2px dashed" borderColor="brass.mark" aria-hidden="true" />}
      <HStack gap="8px" border="1px solid" borderColor="hair" borderRadius="field" bg="card" px="12px" py="4px">
        {router && (
          <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
            <PinHead state="router" />
          </svg>
        )}
        <div>
          <Text fontWeight={700}>{title}</Text>
          <Mono fontSize="label" color="muted">
            {below}
          </Mono>
        </div>
      </HStack>
    </List.Item>
  );
}

/** Place is a room with its devices: what links others stands first. */
function Place({ name, devices }: { name: string; devices: Device[] }) {
  const links = devices.filter((d) => gear.includes(d.kind ?? ""));
  const others = devices.filter((d) => !links.includes(d));
  const wide = devices.length > crowded;
  return (
    <Box
      as="section"
      border="1px solid"
      borderColor="hair"
      borderRadius="card"
      bg="card"
      px="9px"
      py="6px"
      className="step-place"
      data-place={name}
      gridColumn={wide ? "1 / -1" : undefined}
    >
      <Heading fontSize="small">
        {name || <Muted>no place yet</Muted>} <Muted fontSize="label">{devices.length}</Muted>
      </Heading>
      <ul style={wide ? { columnWidth: "186px" } : undefined}>
        {[...links, ...others].map((d) => (
          <Thing key={d.id} device={d} link={links.includes(d)} />
        ))}
      </ul>
    </Box>
  );
}

function Thing({ device: d, link }: { device: Device; link: boolean }) {
  const a = useSite();
  const [pick, setPick] = usePick();
  const picked = ownerOf(pick, a.site)?.id === d.id;
  const stops = indexOf(a)
    .snags.get(`device:${d.id}`)
    ?.some((s) => s.weight === "stops");
  const at = d.interfaces.map((i) => short(i.pin?.address ?? i.seen, networkOf(a.site, i.network))).filter(Boolean);
  return (
    <li>
      <button
        type="button"
        className="thing"
        data-link={link || undefined}
        aria-pressed={picked}
        onClick={() => setPick(`device:${d.id}`)}
      >
        <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
          <PinHead state={stateOf(d.interfaces[0]?.pin)} snag={stops} />
        </svg>
        <span className="thing-name">{label(d)}</span>
        <span className="mono">{at.join(" ")}</span>
      </button>
    </li>
  );
}
