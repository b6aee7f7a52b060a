import { Box, Heading, Text } from "@chakra-ui/react";
import type { Back } from "../api/model";
import { useSite } from "../api/site";
import { Mono, Muted } from "../parts";
import { clock, ifaceLabel, indexOf } from "../parts/words";
import { Mark, type Told } from "./marks";

const told: Record<Back["state"], Told> = { there: "well", back: "well", gone: "wrong", missing: "asking" };

const says = (b: Back) => {
  if (b.state === "there") return "there all the time";
  if (b.state === "missing") return "not seen yet";
  if (b.state === "gone") return `gone since ${b.gone ? clock(b.gone) : "now"}`;
  return `back at ${b.back ? clock(b.back) : ""}${b.took ? `, after ${b.took} s` : ""}`;
};

/** Watched lists who went and who came back since the watch began: the router first, then each pinned device. */
export function Watched({ back, running, end }: { back: Back[]; running: boolean; end: string }) {
  const a = useSite();
  const missing = back.filter((b) => b.state === "gone" || b.state === "missing").length;
  const nameOf = (b: Back) => {
    const at = b.interface ? indexOf(a).interfaces.get(b.interface) : undefined;
    return at ? ifaceLabel(at.device, at.iface) : "The router";
  };
  return (
    <Box as="section" aria-label="Who came back" data-watched>
      <Heading mb="4px">Coming back</Heading>
      <Text fontSize="small" color="muted" role="status" mb="6px">
        {running ? `Switch the router off and on. ${missing ? `${missing} not back yet.` : "All answer."}` : end}
      </Text>
      <ul className="came-back">
        {back.map((b) => (
          <li key={b.interface ?? b.address} data-state={b.state}>
            <Mark told={told[b.state]} of="answers" />
            <b>{nameOf(b)}</b> <Mono>{b.address}</Mono> <Muted fontSize="small">{says(b)}</Muted>
          </li>
        ))}
      </ul>
    </Box>
  );
}
