import { Box, Button, Flex, Heading, Stack, Text } from "@chakra-ui/react";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { useCheck, useChecks } from "../api/checks";
import type { Checks, Verdict } from "../api/model";
import { useSite } from "../api/site";
import { Empty, Gauge, Mono, Muted, Refusal, Remark, ViewHead } from "../parts";
import { useKeys } from "../parts/keys";
import { later } from "../parts/later";
import { usePick } from "../parts/pick";
import { clock, ifaceLabel, indexOf, plural } from "../parts/words";
import { Desk } from "../shell/desk";
import { Bundle, inWords } from "./bundle";
import { inTen, MendOf, Picked } from "./causes";
import { four, Marks, thereOf, toldOf } from "./marks";
import { Watched } from "./watch";

const FarEndForm = later(() => import("./far-end").then((m) => m.FarEndForm));

const rank = { no: 0, unknown: 1, yes: 2 };

/** ChecksView tries what is planned: does it answer, from here and from elsewhere, and if not, why. */
export function ChecksView() {
  const a = useSite();
  const [pick, setPick] = usePick();
  const [pairing, setPairing] = useState(false);
  const [apart, setApart] = useState<string[]>([]);
  const { data: checks, error } = useChecks();
  const { start, stop } = useCheck();
  const running = checks?.state.running ?? false;
  const all = checks?.report?.services ?? [];
  const open = all.filter((v) => v.open);
  const inside = all.filter((v) => !v.open);
  const planless = open.filter((v) => v.works === "no" && !v.dial);
  const failing = open.filter((v) => v.works === "no" && v.dial);
  const quiet = open.filter((v) => v.works !== "no").sort((x, y) => rank[x.works] - rank[y.works]);
  const insideFail = inside.filter((v) => v.works === "no");
  const picked = all.find((v) => pick === `service:${v.service}`) ?? failing[0];
  const label = useMemo(() => labeller(a), [a]);
  const choose = (v: Verdict) => setPick(`service:${v.service}`);
  const order = [...failing, ...quiet, ...insideFail];
  const walk = (by: 1 | -1) => {
    const i = order.findIndex((v) => v.service === picked?.service);
    const next = order[Math.max(0, Math.min(order.length - 1, i + by))];
    if (next) choose(next);
  };
  const begin = () => (running ? stop.mutate() : start.mutate({}));
  useKeys({ s: begin, ArrowDown: () => walk(1), ArrowUp: () => walk(-1) });
  if (error)
    return (
      <Desk>
        <Refusal>{String(error)}</Refusal>
      </Desk>
    );
  if (!checks) return <Desk>{null}</Desk>;
  const services = a.site.devices.reduce((n, d) => n + d.services.length, 0);
  return (
    <Desk inspector={picked && <Picked key={picked.service} verdict={picked} checks={checks} name={label(picked)} />}>
      <ViewHead title="Checks" hint="Is what we planned what is really there?">
        {running && checks.state.what === "watch" ? null : (
          <Button onClick={() => start.mutate({ what: "watch" })} disabled={running || services === 0}>
            Watch devices come back
          </Button>
        )}
        <Button onClick={() => setPairing(true)}>Far end…</Button>
        <Button variant="solid" onClick={begin} disabled={services === 0 || start.isPending}>
          {running ? "Stop" : `Check all ${services}`}
        </Button>
      </ViewHead>
      {services === 0 ? (
        <Empty title="Nothing to check yet">Equip a device on Ports: what it answers on can then be tried.</Empty>
      ) : (
        <>
          <Sides checks={checks} verdicts={all} />
          {!running && checks.state.what === "hotspot" && !checks.state.failed && (
            <Remark status="info">{checks.state.says}</Remark>
          )}
          {checks.state.failed && <Remark status="error">{checks.state.says}</Remark>}
          {running && checks.state.what !== "watch" && (
            <Box role="status">
              <Gauge label="Asked" value={checks.state.done} of={checks.state.of} tone="chalk" />
              <Text fontSize="small" color="muted">
                {checks.state.doing || "asking"}
              </Text>
            </Box>
          )}
          {(checks.state.what === "watch" || checks.back.length > 0) && checks.back.length > 0 && (
            <Watched back={checks.back} running={running && checks.state.what === "watch"} end={checks.state.says} />
          )}
          {checks.report ? (
            <>
              <Glance verdicts={open} at={checks.report.at} running={running}>
                <Bundle verdicts={open} running={running} picked={picked?.service} label={label} onPick={choose} />
              </Glance>
              {checks.report.notes.map((n) => (
                <Remark key={n} status="warning">
                  {n}
                </Remark>
              ))}
              <Text fontSize="label" color="muted" textAlign="end" className="no-print">
                The four marks: {four.join(" · ")}
              </Text>
              <Stack as="ol" gap="8px" aria-label="What fails" data-failing={failing.length}>
                {kindred(failing).map((list) =>
                  list.length >= together && !apart.includes(keyOf(list[0])) ? (
                    <Alike
                      key={keyOf(list[0])}
                      verdicts={list}
                      label={label}
                      onApart={() => setApart([...apart, keyOf(list[0])])}
                    />
                  ) : (
                    list.map((v) => (
                      <Failing
                        key={v.service}
                        verdict={v}
                        checks={checks}
                        running={running}
                        label={label(v)}
                        picked={picked === v}
                        onPick={() => choose(v)}
                      />
                    ))
                  ),
                )}
              </Stack>
              {planless.length > 0 && (
                <Text data-planless={planless.length}>
                  <b>Not opened yet:</b> {planless.map(label).join("; ")}.{" "}
                  <Link to="../ports">Open them on Ports.</Link>
                </Text>
              )}
              <Quiet
                title="What works, or is not known"
                verdicts={quiet}
                checks={checks}
                running={running}
                label={label}
                picked={picked}
                onPick={choose}
              />
              <Quiet
                title={
                  insideFail.length > 0
                    ? `Inside only: ${insideFail.length} of ${inside.length} do not answer`
                    : `Inside only: ${plural(inside.length, "service")}`
                }
                verdicts={insideFail}
                checks={checks}
                running={running}
                label={label}
                picked={picked}
                onPick={choose}
              />
            </>
          ) : (
            !running && (
              <Empty title="Not tried yet">
                Press Check all. Each device is asked at its planned address, each port from inside, and from elsewhere
                by a helper, by the phone's hotspot, or by hand.
              </Empty>
            )
          )}
        </>
      )}
      {pairing && <FarEndForm far={checks.far} onClose={() => setPairing(false)} />}
    </Desk>
  );
}

/** How many that fail alike are told as one. */
const together = 3;

const keyOf = (v: Verdict | undefined) => `${v?.causes[0]?.cause} ${v?.causes[0]?.mend?.does} ${v?.causes[0]?.why}`;

/** kindred puts those together that one mend ends. */
function kindred(failing: Verdict[]): Verdict[][] {
  const groups = new Map<string, Verdict[]>();
  for (const v of failing) groups.set(keyOf(v), [...(groups.get(keyOf(v)) ?? []), v]);
  return [...groups.values()];
}

/** Alike are several that fail for one reason, with one mend for all. */
function Alike({ verdicts, label, onApart }: { verdicts: Verdict[]; label: Labeller; onApart: () => void }) {
  const [first] = verdicts;
  const cause = first?.causes[0];
  if (!cause) return null;
  return (
    <li className="failing" data-alike={verdicts.length}>
      <Text>
        <b>
          {verdicts.length} services: {cause.title}
        </b>{" "}
        <Muted fontSize="small">{inTen(cause.chance)}</Muted>
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

type Labeller = (v: Verdict) => string;

function labeller(a: ReturnType<typeof useSite>): Labeller {
  return (v) => {
    const at = indexOf(a).services.get(v.service);
    if (!at) return v.service;
    const iface = at.device.interfaces.find((i) => i.id === at.service.interface);
    return `${iface ? ifaceLabel(at.device, iface) : at.device.name}, ${at.service.name || "service"}`;
  };
}

/** Glance says in one look how many work. */
function Glance({
  verdicts,
  at,
  running,
  children,
}: {
  verdicts: Verdict[];
  at: string;
  running: boolean;
  children: React.ReactNode;
}) {
  const works = verdicts.filter((v) => v.works === "yes").length;
  return (
    <Flex gap="16px" alignItems="center" flexWrap="wrap" data-glance>
      <Box flex="none">
        <Text fontSize="digits" fontWeight="700" lineHeight="1.1">
          {works} of {verdicts.length}
        </Text>
        <Muted fontSize="small" role="status" aria-label={inWords(verdicts)}>
          work from elsewhere
          {!running && at && `, ${clock(at)}`}
        </Muted>
      </Box>
      <Box flex="1 1 260px" minW={0}>
        {children}
      </Box>
    </Flex>
  );
}

/** Sides are from where it was tried, and the address at which the site is seen. */
function Sides({ checks, verdicts }: { checks: Checks; verdicts: Verdict[] }) {
  const { start } = useCheck();
  const r = checks.report;
  const insideAsked = verdicts.filter((v) => v.inside.result !== "untried");
  const outsideAsked = verdicts.filter((v) => v.open && v.outside.result !== "untried");
  const answered = (list: Verdict[], side: "inside" | "outside") =>
    `${list.filter((v) => v[side].result === "answers").length} of ${list.length} answer`;
  const wrong = r && (r.router.private || r.router.says || (r.name.name && !r.name.agrees && r.name.points.length > 0));
  return (
    <Flex gap="10px" flexWrap="wrap" data-sides>
      <Card title="From inside">
        {checks.here.says} {insideAsked.length > 0 && answered(insideAsked, "inside")}
      </Card>
      <Card title="From outside">
        {checks.far.paired ? (
          <>
            By the far end at <Mono>{checks.far.at}</Mono>.{" "}
          </>
        ) : checks.here.inside || !checks.here.address ? (
          "No far end yet: pair one, or join the phone's hotspot. "
        ) : (
          "By this computer, which is elsewhere. "
        )}
        {outsideAsked.length > 0 && answered(outsideAsked, "outside")}
        {checks.here.inside && (
          <Button
            variant="plain"
            fontSize="small"
            display="block"
            disabled={checks.state.running}
            onClick={() => start.mutate({ what: "hotspot" })}
          >
            Try by the phone's hotspot
          </Button>
        )}
      </Card>
      <Card title="Outside address" bad={Boolean(wrong)}>
        {r?.router.outside?.address ? (
          <>
            <Mono>{r.router.outside.address}</Mono>.{" "}
            {r.router.says ||
              (r.name.name
                ? r.name.agrees
                  ? `${r.name.name} agrees.`
                  : r.name.says || `${r.name.name} stands for ${r.name.points.join(", ") || "nothing"}.`
                : "As planned.")}
          </>
        ) : (
          "Not known yet."
        )}
      </Card>
    </Flex>
  );
}

function Card({ title, bad, children }: { title: string; bad?: boolean; children: React.ReactNode }) {
  return (
    <Box
      flex="1 1 200px"
      bg="card"
      border="1px solid"
      borderColor={bad ? "madder.mark" : "hair"}
      borderRadius="card"
      px="12px"
      py="8px"
      data-side={title}
    >
      <Heading size="sm">{title}</Heading>
      <Text fontSize="small" color={bad ? "madder" : "muted"}>
        {children}
      </Text>
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

function useTold(v: Verdict, checks: Checks, running: boolean) {
  const a = useSite();
  const at = indexOf(a).services.get(v.service);
  const asking = running && checks.state.what === "check";
  return toldOf(v, at && thereOf(checks, at.service.interface), asking);
}

/** Failing is a service that does not work, open with its likeliest cause, its mend and the next look. */
function Failing({ verdict: v, checks, running, label, picked, onPick }: RowProps) {
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
      {first && (
        <Box mt="2px">
          <Text>
            <b>{first.title}</b> <Muted fontSize="small">{inTen(first.chance)}</Muted>
          </Text>
          <Text fontSize="small" color="muted">
            {first.why}
          </Text>
          <Flex mt="4px" gap="6px 14px" flexWrap="wrap" alignItems="center">
            <MendOf cause={first} />
            {first.next && (
              <Text fontSize="small">
                <Muted>Would tell most:</Muted> {first.next}
              </Text>
            )}
          </Flex>
        </Box>
      )}
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
function Quiet({ title, verdicts, checks, running, label, picked, onPick }: QuietProps) {
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
