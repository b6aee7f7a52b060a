import { chakra } from "@chakra-ui/react";
import type { Device } from "../api/model";

/** Sources marks by a letter which sources have seen a device. */
export function Sources({ device }: { device: Device }) {
  const sources = [...new Set(device.interfaces.flatMap((i) => i.evidence.map((e) => e.source)))];
  if (sources.length === 0) return <chakra.span color="muted">by hand</chakra.span>;
  return (
    <chakra.span display="flex" gap="4px">
      {sources.slice(0, 4).map((s) => (
        <chakra.abbr
          key={s}
          title={s}
          fontFamily="mono"
          fontSize="label"
          textTransform="uppercase"
          textDecoration="none"
          bg="body"
          color="ink"
          borderRadius="3px"
          px="4px"
        >
          {s.trim().charAt(0) || "?"}
        </chakra.abbr>
      ))}
    </chakra.span>
  );
}
