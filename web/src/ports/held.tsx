import { Box, Button, Heading, HStack, List, Text } from "@chakra-ui/react";
import { useMemo, useState } from "react";
import { api, must } from "../api/client";
import { complain, useEdit } from "../api/edit";
import type { Answer, Discrepancy, HeldState, Network, Router } from "../api/model";
import { useSite } from "../api/site";
import { Mono, Muted, Remark } from "../parts";
import { ColumnsMenu, Grid, type GridColumn, useGrid } from "../parts/grid";
import { later } from "../parts/later";
import { notice } from "../parts/notice";
import { useOpened, usePick } from "../parts/pick";
import { indexOf, label, networkOf, plural, short } from "../parts/words";

const ReadRouter = later(() => import("./read-router").then((m) => m.ReadRouter));

type Row = {
  id: string;
  line?: number;
  name: string;
  outside: string;
  protocol: string;
  to: string;
  inside: string;
  /** what differs, of what the row does not show itself */
  brief: string;
  says: string;
  state: "same" | "off" | "differs" | "missing";
  pick: string;
};

const columns: GridColumn<Row>[] = [
  {
    id: "line",
    title: "Line",
    width: "52px",
    always: true,
    value: (r) => r.line ?? Number.MAX_SAFE_INTEGER,
    cell: (r) => <span className="mono">{r.line ?? "–"}</span>,
  },
  {
    id: "outside",
    title: "Outside",
    width: "minmax(110px, 0.8fr)",
    always: true,
    value: (r) => Number(r.outside.split(/[,-]/)[0]),
    cell: (r) => (
      <span className="mono">
        {r.outside} <span className="muted">{r.protocol}</span>
      </span>
    ),
  },
  {
    id: "to",
    title: "To",
    width: "minmax(110px, 0.9fr)",
    value: (r) => r.to,
    cell: (r) => (
      <span className="mono">
        {r.to} <span className="muted">{r.inside}</span>
      </span>
    ),
  },
  {
    id: "says",
    title: "Against the plan",
    width: "minmax(200px, 2.4fr)",
    always: true,
    value: (r) => r.state,
    cell: (r) =>
      r.state === "same" ? (
        <span className="small muted">✓ as planned</span>
      ) : (
        <span className={r.state === "off" ? "small muted" : "small stops"} title={r.says}>
          {r.state === "off" ? "" : "✕ "}
          {r.brief}
        </span>
      ),
  },
];

const rowId = (r: Row) => r.id;

/** Held is what a router really holds, line by line as on its page, each against the plan. */
export function Held({ router }: { router: Router }) {
  const a = useSite();
  const [opened, setOpened] = useOpened();
  const state = a.held.find((h) => h.router === router.id);
  return (
    <Box as="section" aria-label={`What ${router.name || "the router"} holds`} data-held>
      <HStack flexWrap="wrap" mb="6px">
        <Heading>In {router.name || "the router"} now</Heading>
        <Text flex="1 1 240px" fontSize="small" color="muted" role="status">
          {state ? saysOf(state) : "Not read yet. Paste its forwarding page, and every entry is held against the plan."}
        </Text>
        <AskRouter router={router} />
        <Button size="xs" onClick={() => setOpened(`held:${router.id}`)}>
          {state ? "Read it again" : "Compare with the router"}
        </Button>
      </HStack>
      {state?.doubts.map((d) => (
        <Remark key={`${d.line} ${d.says}`} status="warning" mb="6px">
          {d.line ? `Line ${d.line}: ` : ""}
          {d.says}
        </Remark>
      ))}
      {router.mapped && <MappedList router={router} />}
      {state && <Lines router={router} state={state} />}
      {opened === `held:${router.id}` && <ReadRouter onClose={() => setOpened(undefined)} />}
    </Box>
  );
}

/** AskRouter asks the router for its outside address and what devices had it open; nothing is changed there. */
function AskRouter({ router }: { router: Router }) {
  const { id } = useSite();
  const edit = useEdit();
  const [asking, setAsking] = useState<AbortController>();
  const ask = async () => {
    const stop = new AbortController();
    setAsking(stop);
    try {
      const path = { path: { id }, query: { router: router.id } };
      const asked = must(await api.GET("/api/sites/{id}/ask-router", { params: path, signal: stop.signal }));
      const says = [asked.says, ...asked.told.notes.map((n) => `It is odd: ${n}.`)].join(" ");
      if (asked.edits.length === 0) notice.say(says);
      else
        edit.mutate({ edits: asked.edits, version: asked.version, title: `ask ${router.name || "the router"}`, says });
    } catch (error) {
      if (!stop.signal.aborted) complain(error);
    } finally {
      setAsking(undefined);
    }
  };
  return asking ? (
    <HStack role="status">
      Asking it…
      <Button size="xs" onClick={() => asking.abort()}>
        Stop
      </Button>
    </HStack>
  ) : (
    <Button size="xs" onClick={ask} title="By UPnP, NAT-PMP and PCP; nothing is changed there">
      Ask the router
    </Button>
  );
}

/** How many ports that devices opened are listed. */
const mostMapped = 50;

/** MappedList is what devices had the router open by themselves, as it told last. */
function MappedList({ router }: { router: Router }) {
  const a = useSite();
  const { mapped } = router;
  const network = networkOf(a.site, router.network);
  const at = useMemo(() => {
    const devices = new Map<string, string>();
    for (const d of a.site.devices)
      for (const i of d.interfaces)
        for (const address of [i.seen, i.pin?.address]) if (address) devices.set(address, label(d));
    return devices;
  }, [a.site]);
  if (!mapped) return null;
  return (
    <Box mb="8px" fontSize="small" data-mapped>
      <Text color="muted">
        It told {mapped.at && `on ${new Date(mapped.at).toLocaleString()} `}
        {mapped.outside ? `${mapped.outside} as its outside address` : "no outside address"}, by{" "}
        {mapped.by.join(", ").replace("upnp", "UPnP").replace("nat-pmp", "NAT-PMP").replace("pcp", "PCP")}.{" "}
        {mapped.forwards.length === 0 ? "No device had it open a port." : "Devices had it open by themselves:"}
      </Text>
      <List.Root>
        {mapped.forwards.slice(0, mostMapped).map((m) => (
          <List.Item key={`${m.protocol} ${m.outside} ${m.address}`}>
            <Mono>
              {m.outside} {m.protocol} → {short(m.address, network)}
              {m.inside && m.inside !== m.outside && ` ${m.inside}`}
            </Mono>{" "}
            {at.get(m.address) ?? "nobody that is known"}
            {m.name && <Muted>, “{m.name}”</Muted>}
          </List.Item>
        ))}
      </List.Root>
      {(mapped.forwards.length > mostMapped || mapped.more) && (
        <Muted>
          {mapped.forwards.length > mostMapped && `and ${mapped.forwards.length - mostMapped} more`}
          {mapped.more && "; the router lists more than were taken"}
        </Muted>
      )}
    </Box>
  );
}

function saysOf({ at, source, lines, differs, more }: HeldState): string {
  const from = [at && new Date(at).toLocaleString(), source].filter(Boolean).join(", from ");
  const found = differs.length + more;
  const how = found === 0 ? "the same as the plan" : plural(found, "difference");
  return `${plural(lines, "entry", "entries")}${from && `, read ${from}`}: ${how}.`;
}

function Lines({ router, state }: { router: Router; state: HeldState }) {
  const a = useSite();
  const [pick, setPick] = usePick();
  const rows = useMemo(() => rowsOf(a, router, state), [a, router, state]);
  const grid = useGrid({ name: "held", rows, rowId, columns });
  if (rows.length === 0) return <Muted>It forwards nothing.</Muted>;
  return (
    <>
      <Box className="filters">
        <ColumnsMenu grid={grid} />
      </Box>
      <Grid
        grid={grid}
        label="Entries of the router's page"
        picked={rows.find((r) => r.pick === pick && r.pick.startsWith("forward:"))?.id}
        onPick={(r) => setPick(r.pick)}
        rowData={(r) => ({ "data-held-row": r.id, "data-state": r.state })}
        empty={null}
      />
      {state.more > 0 && (
        <Muted fontSize="small">and {plural(state.more, "more difference")}, told when these are mended</Muted>
      )}
    </>
  );
}

/** brief says what differs in a few words; the whole sentence is the snag's. */
function brief({ plan, held, from, except, says }: Discrepancy, network: Network | undefined): string {
  const some = from?.length || except?.length ? " for some senders" : "";
  const digit = says.endsWith("a digit?") ? ": a digit?" : "";
  if (plan.fate === "dropped") return `in no plan${some}`;
  if (plan.fate === "router") return "the router's own port";
  if (held.fate === "dropped") return `missing in the router${some}${digit}`;
  const port = plan.inside && plan.inside !== held.inside ? ` port ${plan.inside}` : "";
  return `planned to ${short(plan.address, network)}${port}${some}${digit}`;
}

/** rowsOf are the lines of a router's page in their order, after those the ones that it lacks. */
function rowsOf(a: Answer, router: Router, state: HeldState): Row[] {
  const network = networkOf(a.site, router.network);
  const { targets } = indexOf(a);
  const byEntry = new Map<number, Discrepancy[]>();
  const missing: Discrepancy[] = [];
  for (const d of state.differs)
    if (d.entry) byEntry.set(d.entry, [...(byEntry.get(d.entry) ?? []), d]);
    else missing.push(d);
  const pickOf = (d: Discrepancy | undefined) =>
    d?.forward && targets.has(d.forward) ? `forward:${d.forward}` : `router:${router.id}`;
  const lines = (router.held?.forwards ?? []).map((h, i): Row => {
    const differs = byEntry.get(i + 1) ?? [];
    return {
      id: `line ${i + 1}`,
      line: h.line || i + 1, // where it stands in what was read, or in what the router told
      name: h.name ?? "",
      outside: h.outside,
      protocol: h.protocol,
      to: short(h.address, network),
      inside: h.inside && h.inside !== h.outside ? `→ ${h.inside}` : "",
      brief: differs[0] ? brief(differs[0], network) : h.enabled ? "" : "switched off",
      says: differs.map((d) => d.says).join(" "),
      state: differs.length > 0 ? "differs" : h.enabled ? "same" : "off",
      pick: pickOf(differs[0]),
    };
  });
  return [
    ...lines,
    ...missing.map(
      (d, i): Row => ({
        id: `missing ${i}`,
        name: "",
        outside: d.ports,
        protocol: d.protocol,
        to: short(d.plan.address, network),
        inside: d.plan.inside && d.plan.inside !== d.ports ? `→ ${d.plan.inside}` : "",
        brief: brief(d, network),
        says: d.says,
        state: "missing",
        pick: pickOf(d),
      }),
    ),
  ];
}
