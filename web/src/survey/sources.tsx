import { chakra } from "@chakra-ui/react";
import type { Device, Evidence } from "../api/model";

/** The ways in which a device can have been seen, each with its letter. */
const ways = {
  S: "sweep",
  L: "leases",
  N: "name",
  C: "capture",
  P: "pasted",
} as const;
type Way = keyof typeof ways;

const named = ["mdns", "llmnr", "netbios", "ssdp", "reverse DNS", "ws-discovery", "snmp", "description"];
const packets = ["arp", "asked", "requested", "granted"];

function wayOf(e: Evidence): Way {
  const state = e.state ?? "";
  if (named.includes(state)) return "N";
  if (e.source === "sweep" || e.source === "port sweep") return "S";
  if (state === "lease" || state === "reservation") return "L";
  return packets.includes(state) && /\.p?cap/i.test(e.source) ? "C" : "P";
}

const waysOf = (devices: Device[]) => {
  const seen = new Set(devices.flatMap((d) => d.interfaces.flatMap((i) => i.evidence.map(wayOf))));
  return (Object.keys(ways) as Way[]).filter((w) => seen.has(w));
};

function Letter({ way }: { way: Way }) {
  return (
    <chakra.abbr
      title={ways[way]}
      fontFamily="mono"
      fontSize="label"
      textDecoration="none"
      bg={way === "S" ? "chalkSoft" : "body"}
      color="ink"
      borderRadius="3px"
      px="4px"
    >
      {way}
    </chakra.abbr>
  );
}

/** Sources marks by letters in which ways a device was seen. */
export function Sources({ device }: { device: Device }) {
  const seen = waysOf([device]);
  if (seen.length === 0) return <chakra.span color="muted">by hand</chakra.span>;
  return (
    <chakra.span display="flex" gap="3px">
      {seen.map((w) => (
        <Letter key={w} way={w} />
      ))}
    </chakra.span>
  );
}

/** SourceLegend tells what the letters stand for. */
export function SourceLegend({ devices }: { devices: Device[] }) {
  const seen = waysOf(devices);
  if (seen.length === 0) return null;
  return (
    <chakra.ul display="flex" flexWrap="wrap" gap="2px 10px" fontSize="label" color="muted" aria-label="Seen by">
      {seen.map((w) => (
        <chakra.li key={w} display="flex" gap="4px" alignItems="center">
          <Letter way={w} />
          {ways[w]}
        </chakra.li>
      ))}
    </chakra.ul>
  );
}
