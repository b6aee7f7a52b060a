import { chakra } from "@chakra-ui/react";
import { useSite } from "../api/site";
import type { SurveyPlan } from "../api/survey";
import { Field, Input, Row, Select } from "../parts";
import { lan } from "../parts/words";

/** The subnets that have more addresses than are swept without being asked for. */
const widest = 20;

/** SweepOptions says which network is swept, and whether SNMP is asked. */
export function SweepOptions({ plan, onChange }: { plan: SurveyPlan; onChange: (p: SurveyPlan) => void }) {
  const { site } = useSite();
  const large = site.networks.some((n) => lan(n.subnet).bits < widest);
  return (
    <Row mt="8px" gap="14px" flexWrap="wrap" alignItems="start" data-sweep="options">
      {site.networks.length > 1 && (
        <Field label="Network to sweep">
          {(p) => (
            <Select {...p} value={plan.network ?? ""} onChange={(e) => onChange({ ...plan, network: e.target.value })}>
              <option value="">the one this computer is on</option>
              {site.networks.map((n) => (
                <option key={n.id} value={n.id}>
                  {n.name || n.id} {n.subnet}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      <Field label="SNMP community" hint="Switches and radios tell their names to it; nobody is asked without one">
        {(p) => (
          <Input
            {...p}
            value={plan.community ?? ""}
            onChange={(e: React.ChangeEvent<HTMLInputElement>) => onChange({ ...plan, community: e.target.value })}
            fontFamily="mono"
            autoComplete="off"
          />
        )}
      </Field>
      {large && (
        <chakra.label display="flex" gap="6px" alignItems="center" fontSize="small" mt="24px">
          <input
            type="checkbox"
            checked={plan.large ?? false}
            onChange={(e) => onChange({ ...plan, large: e.target.checked })}
          />
          more than 4,096 addresses are meant
        </chakra.label>
      )}
    </Row>
  );
}
