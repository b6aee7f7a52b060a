import { Checkbox, HStack, Input } from "@chakra-ui/react";
import { useSite } from "../api/site";
import type { SurveyPlan } from "../api/survey";
import { Labelled, Select } from "../parts";
import { lan, networkLabel } from "../parts/words";

/** The subnets that have more addresses than are swept without being asked for. */
const widest = 20;

/** SweepOptions says which network is swept, and whether SNMP is asked. */
export function SweepOptions({ plan, onChange }: { plan: SurveyPlan; onChange: (p: SurveyPlan) => void }) {
  const { site } = useSite();
  const large = site.networks.some((n) => lan(n.subnet).bits < widest);
  return (
    <HStack mt="8px" gap="14px" flexWrap="wrap" alignItems="start" data-sweep="options">
      {site.networks.length > 1 && (
        <Labelled label="Network to sweep">
          <Select
            value={plan.network ?? ""}
            onChange={(e) => onChange({ ...plan, network: e.currentTarget.value })}
            options={[
              ["", "the one this computer is on"],
              ...site.networks.map((n) => [n.id, networkLabel(n)] as const),
            ]}
          />
        </Labelled>
      )}
      <Labelled label="SNMP community" hint="Switches and radios tell their names to it; nobody is asked without one">
        <Input
          value={plan.community ?? ""}
          onChange={(e) => onChange({ ...plan, community: e.currentTarget.value })}
          fontFamily="mono"
          autoComplete="off"
        />
      </Labelled>
      {large && (
        <Checkbox.Root
          checked={plan.large ?? false}
          onCheckedChange={(e) => onChange({ ...plan, large: e.checked === true })}
        >
          <Checkbox.HiddenInput />
          <Checkbox.Control>
            <Checkbox.Indicator />
          </Checkbox.Control>
          <Checkbox.Label>more than 4,096 addresses are meant</Checkbox.Label>
        </Checkbox.Root>
      )}
    </HStack>
  );
}
