import { Box, Button, Flex, Heading, Text } from "@chakra-ui/react";
import type { Cause, Checks, Verdict } from "../api/model";
import { useSite } from "../api/site";
import { Mono, Muted } from "../parts";
import { ifaceLabel, indexOf } from "../parts/words";
import { inTen, MendOf } from "./causes";
import { Marks, thereOf, toldOf } from "./marks";

export type Labeller = (v: Verdict) => string;

/** labeller names a service as it stands in the lists. */
export function labeller(a: ReturnType<typeof useSite>): Labeller {
  return (v) => {
    const at = indexOf(a).services.get(v.service);
    if (!at) return v.service;
    const iface = at.device.interfaces.find((i) => i.id === at.service.interface);
    return `${iface ? ifaceLabel(at.device, iface) : at.device.name}, ${at.service.name || "service"}`;
  };
}

/** How many that fail alike are told as one. */
export const together = 3;

export const keyOf = (v: Verdict | undefined) =>
  `${v?.causes[0]?.cause} ${v?.causes[0]?.mend?.does} ${v?.causes[0]?.why}`;

/** kindred puts those together that one mend ends. */
export function kindred(failing: Verdict[]): Verdict[][] {
  const groups = new Map<string, Verdict[]>();
  for (const v of failing) groups.set(keyOf(v), [...(groups.get(keyOf(v)) ?? []), v]);
  return [...groups.values()];
}

/** Alike are several that fail for one reason, with one mend for all. */
export function Alike({ verdicts, label, onApart }: { verdicts: Verdict[]; label: Labeller; onApart: () => void }) {
  const [first] = verdicts;
  const cause = first?.causes[0];
  if (!cause) return null;
  return (
    <li className="failing" data-alike={verdicts.length}>
      <FirstCause cause={cause} title={`${verdicts.length} services: ${cause.title}`} />
      <Text fontSize="small" mt="4px">
        {verdicts.slice(0, 4).map(label).join("; ")}
        {verdicts.length > 4 && `; and ${verdicts.length - 4} more`}.{" "}
        <Button variant="plain" fontSize="small" onClick={onApart}>
          Show each
        </Button>
      </Text>
    </li>
  );
}

/** FirstCause is the likeliest cause with its reason, its mend and the next look. */
function FirstCause({ cause, title }: { cause: Cause; title: string }) {
  return (
    <Box mt="2px">
      <Text>
        <b>{title}</b> <Muted fontSize="small">{inTen(cause.chance)}</Muted>
      </Text>
      <Text fontSize="small" color="muted">
        {cause.why}
      </Text>
      <Flex mt="4px" gap="6px 14px" flexWrap="wrap" alignItems="center">
        <MendOf cause={cause} />
        {cause.next && (
          <Text fontSize="small">
            <Muted>Would tell most:</Muted> {cause.next}
          </Text>
        )}
      </Flex>
    </Box>
  );
}

type RowProps = {
  verdict: Verdict;
  checks: Checks;
  running: boolean;
  label: string;
  picked: boolean;
  onPick: () => void;
};

/** useTold answers the four questions of a service. */
function useTold(v: Verdict, checks: Checks, running: boolean) {
  const a = useSite();
  const at = indexOf(a).services.get(v.service);
  const asking = running && checks.state.what === "check";
  return toldOf(v, at && thereOf(checks, at.service.interface), asking);
}

/** Failing is a service that does not work, open with its likeliest cause, its mend and the next look. */
export function Failing({ verdict: v, checks, running, label, picked, onPick }: RowProps) {
  const told = useTold(v, checks, running);
  const [first] = v.causes;
  return (
    <li className="failing" data-picked={picked} data-failed={v.service}>
      <Flex gap="10px" alignItems="center" flexWrap="wrap">
        <button type="button" onClick={onPick} className="failing-name" aria-pressed={picked}>
          <b>{label}</b> {v.dial && <Mono fontSize="small">{v.dial.split(" ")[0]}</Mono>}
        </button>
        <Marks told={told} />
      </Flex>
      <Text fontWeight="600" color="madder">
        {v.says}
      </Text>
      {first && <FirstCause cause={first} title={first.title} />}
    </li>
  );
}

type QuietProps = {
  title: string;
  verdicts: Verdict[];
  checks: Checks;
  running: boolean;
  label: Labeller;
  picked: Verdict | undefined;
  onPick: (v: Verdict) => void;
};

/** Quiet lists what needs no words. */
export function Quiet({ title, verdicts, checks, running, label, picked, onPick }: QuietProps) {
  if (verdicts.length === 0)
    return title.startsWith("Inside only") ? (
      <Text fontSize="small" color="muted">
        {title}.
      </Text>
    ) : null;
  return (
    <section>
      <Heading size="sm" mb="4px">
        {title}
      </Heading>
      <ul className="quiet" aria-label={title}>
        {verdicts.map((v) => (
          <QuietRow
            key={v.service}
            verdict={v}
            checks={checks}
            running={running}
            label={label(v)}
            picked={picked === v}
            onPick={() => onPick(v)}
          />
        ))}
      </ul>
    </section>
  );
}

function QuietRow({ verdict: v, checks, running, label, picked, onPick }: RowProps) {
  const told = useTold(v, checks, running);
  return (
    <li data-picked={picked} data-works={v.works}>
      <button
        type="button"
        onClick={onPick}
        className="quiet-row"
        aria-pressed={picked}
        aria-label={`${label}: ${v.says}`}
      >
        <span className="quiet-name">{label}</span>
        <Mono fontSize="small" color="muted">
          {v.dial?.split(" ")[0] ?? ""}
        </Mono>
      </button>
      <Marks told={told} />
    </li>
  );
}
