import { chakra } from "@chakra-ui/react";
import type { Device } from "../api/model";

const sourcesOf = (devices: Device[]) => [
  ...new Set(devices.flatMap((d) => d.interfaces.flatMap((i) => i.evidence.map((e) => e.source)))),
];

/** Letter is the mark of a source. */
function Letter({ source }: { source: string }) {
  return (
    <chakra.abbr
      title={source}
      fontFamily="mono"
      fontSize="label"
      textTransform="uppercase"
      textDecoration="none"
      bg="body"
      color="ink"
      borderRadius="3px"
      px="4px"
    >
      {source.trim().charAt(0) || "?"}
    </chakra.abbr>
  );
}

/** Sources marks by a letter which sources have seen a device. */
export function Sources({ device }: { device: Device }) {
  const sources = sourcesOf([device]);
  if (sources.length === 0) return <chakra.span color="muted">by hand</chakra.span>;
  return (
    <chakra.span display="flex" gap="4px">
      {sources.slice(0, 4).map((s) => (
        <Letter key={s} source={s} />
      ))}
    </chakra.span>
  );
}

/** SourceLegend tells what the letters stand for. */
export function SourceLegend({ devices }: { devices: Device[] }) {
  const sources = sourcesOf(devices);
  if (sources.length === 0) return null;
  return (
    <chakra.ul display="flex" flexWrap="wrap" gap="2px 10px" fontSize="label" color="muted" aria-label="Sources">
      {sources.slice(0, 6).map((s) => (
        <chakra.li key={s} display="flex" gap="4px" alignItems="center">
          <Letter source={s} />
          <chakra.span maxW="140px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
            {s}
          </chakra.span>
        </chakra.li>
      ))}
    </chakra.ul>
  );
}
