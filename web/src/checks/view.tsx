import { Box, Button, Flex, Stack, Text } from "@chakra-ui/react";
import { type ReactNode, useMemo, useState } from "react";
import { Link } from "react-router";
import { useCheck, useChecks } from "../api/checks";
import type { Verdict } from "../api/model";
import { useSite } from "../api/site";
import { Empty, Gauge, Muted, Refusal, Remark, ViewHead } from "../parts";
import { useKeys } from "../parts/keys";
import { later } from "../parts/later";
import { usePick } from "../parts/pick";
import { clock, plural } from "../parts/words";
import { Desk } from "../shell/desk";
import { Bundle, inWords } from "./bundle";
import { Picked } from "./causes";
import { four } from "./marks";
import { Alike, Failing, keyOf, kindred, labeller, Quiet, together } from "./rows";
import { Sides } from "./sides";
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
                {checks.state.what === "hotspot" && !checks.here.inside && "This computer has left the site: "}
                {checks.state.doing || "asking"}
              </Text>
            </Box>
          )}
          {(checks.state.what === "watch" || checks.back.length > 0) && checks.back.length > 0 && (
            <Watched back={checks.back} running={running && checks.state.what === "watch"} end={checks.state.says} />
          )}
          {checks.report && all.length > 0 ? (
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
  children: ReactNode;
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
