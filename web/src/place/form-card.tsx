import { Button } from "@chakra-ui/react";
import type { Router } from "../api/model";
import { useSite } from "../api/site";
import { Pairs, Section } from "../parts";

const takes = { one: "one port", range: "a port or a range", list: "a list of ports" };
const renumbers = { none: "not at all", one: "single ports only", range: "ports and ranges" };
const reserves = {
  anywhere: "anywhere in the LAN",
  "inside-range": "inside its DHCP range",
  "outside-range": "outside its DHCP range",
  no: "not at all",
};
const limits = { no: "no", address: "to an address", network: "to a network" };

/** FormCard says what the pages of a router can express. */
export function FormCard({ router, onChange }: { router: Router; onChange: () => void }) {
  const { routers } = useSite();
  const f = router.form;
  const used = routers.find((r) => r.id === router.id)?.linesUsed ?? 0;
  return (
    <Section title={`The form of ${router.name || "the router"}`}>
      <Pairs
        rows={[
          [
            "An entry takes",
            `${takes[f?.portsPerLine ?? "range"]}, ${f?.protocols.includes("both") ? "one protocol or both" : "one protocol"}`,
          ],
          ["Renumbers", renumbers[f?.renumber ?? "range"]],
          ["Entries", f?.lines ? `${used} of ${f.lines}` : `${used}, no limit known`],
          ["Reserves", reserves[f?.reserves ?? "anywhere"]],
          ["Limits the sender", limits[f?.limitsSender ?? "no"]],
        ]}
      />
      <Button size="xs" mt="8px" onClick={onChange}>
        Change the form
      </Button>
    </Section>
  );
}
