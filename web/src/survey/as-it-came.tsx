import { chakra } from "@chakra-ui/react";
import type { FoundList, Preview, ShownLine } from "../api/model";
import { useListRoles } from "../api/survey";
import { Button, Mono, Row, Select, Tag } from "../parts";
import { plural } from "../parts/words";

const words = {
  new: { word: "new", tone: "moss" },
  moved: { word: "moved", tone: "brass" },
  more: { word: "tells more", tone: "chalk" },
  known: { word: "known", tone: "chalk" },
  leftout: { word: "left out", tone: "madder" },
} as const;

const kinds: Record<string, string> = {
  devices: "A list of devices",
  reservations: "Reservations: what the router was told, not where a device was seen",
  forwards: "Port forwards that the router holds",
  nothing: "No list of devices: say which column holds the MAC address or the address",
};

const ofDevice: [string, string][] = [
  ["name", "Name"],
  ["mac", "MAC address"],
  ["address", "Address"],
  ["link", "How attached"],
  ["kind", "Kind"],
  ["place", "Place"],
  ["maker", "Maker"],
  ["model", "Model"],
  ["note", "Note"],
  ["state", "State"],
  ["reserved", "Reserved or not"],
  ["othermac", "MAC of another thing"],
  ["time", "Time"],
];

const ofForward: [string, string][] = [
  ["protocol", "Protocol"],
  ["outside", "Outside port"],
  ["outsideend", "Last outside port"],
  ["inside", "Inside port"],
  ["insideend", "Last inside port"],
  ["port", "Port, both sides"],
  ["service", "Protocol and port"],
  ["target", "Goes to"],
  ["sender", "Who may connect"],
  ["enabled", "On or off"],
];

type Finding = Preview["findings"][number];

/** what each line came to: by source and line */
type Outcomes = Map<string, { findings: Finding[]; forwards: Preview["forwards"]; unread: boolean }>;

const placeOf = (source: string, line: number) => `${source}\n${line}`;

function outcomesOf(data: Preview): Outcomes {
  const all: Outcomes = new Map();
  const at = (source: string, line: number) => {
    const key = placeOf(source, line);
    const one = all.get(key) ?? { findings: [], forwards: [], unread: false };
    all.set(key, one);
    return one;
  };
  for (const f of data.findings) at(f.sighting.source, f.sighting.line).findings.push(f);
  for (const f of data.forwards) at(f.source, f.line).forwards.push(f);
  for (const u of data.unread) at(u.source, u.line).unread = true;
  return all;
}

/** blocksOf puts the rows of a list together, and neighbours of none. */
function blocksOf(lines: ShownLine[]) {
  const blocks: { source: string; list: number; lines: ShownLine[] }[] = [];
  for (const l of lines) {
    const last = blocks.at(-1);
    const same = l.list > 0 ? blocks.find((b) => b.list === l.list) : last?.list === 0 ? last : undefined;
    if (same && same.source === l.source) same.lines.push(l);
    else blocks.push({ source: l.source, list: l.list, lines: [l] });
  }
  return blocks;
}

const most = 200;

/** AsItCame shows the text as it came on the left and what each line became on the right. */
export function AsItCame({ data, several }: { data: Preview; several: boolean }) {
  const outcomes = outcomesOf(data);
  const shown = new Set(data.lines.map((l) => placeOf(l.source, l.line)));
  const rest = data.findings.filter((f) => !shown.has(placeOf(f.sighting.source, f.sighting.line)));
  const all = Object.values(data.counts).reduce((n, of) => n + of, 0);
  const unseen = all - data.findings.length + Math.max(0, rest.length - most);
  return (
    <chakra.div bg="card" border="1px solid" borderColor="hair" borderRadius="8px" overflowX="auto" data-as-it-came>
      {blocksOf(data.lines).map((b) => {
        const list = data.lists[b.list - 1];
        return (
          <chakra.div
            key={`${b.source} ${b.lines[0]?.line} ${b.list}`}
            borderBottom="1px solid"
            borderColor="hair"
            data-list={list?.is}
          >
            {several && (
              <chakra.p px="10px" pt="6px" color="muted" fontSize="small">
                {b.source}
              </chakra.p>
            )}
            {list ? (
              <ListBlock list={list} lines={b.lines} outcomes={outcomes} />
            ) : (
              <LineBlock lines={b.lines} outcomes={outcomes} />
            )}
          </chakra.div>
        );
      })}
      {rest.length > 0 && <RestBlock rest={rest.slice(0, most)} several={several} />}
      {unseen > 0 && (
        <chakra.p p="8px" color="muted">
          and {plural(unseen, "more sighting")}, read the same way
        </chakra.p>
      )}
    </chakra.div>
  );
}

const bare = (text: string) => text.toLowerCase().replaceAll(/[:.-]/g, "");

/** Became is what a line came to; beside the cells of its row their addresses are not said again. */
function Became({ line, outcomes, row }: { line: ShownLine; outcomes: Outcomes; row?: boolean }) {
  const there = outcomes.get(placeOf(line.source, line.line));
  // A line of a page may hold several rows: each has what its own MAC address came to.
  const own = line.cells.map(bare);
  const mine = there?.findings.filter(
    (f) => own.includes(bare(f.sighting.mac)) || own.includes(bare(f.sighting.address)),
  );
  const leads = there?.forwards.filter((f) => line.cells.includes(f.address) && line.cells.includes(f.outside));
  const one = there && {
    ...there,
    findings: row && there.findings.length > 1 && mine?.length ? mine : there.findings,
    forwards: row && there.forwards.length > 1 && leads?.length ? leads : there.forwards,
  };
  if (!one) return <chakra.span color="muted">–</chakra.span>;
  return (
    <>
      {one.findings.map((f, i) => {
        const w = words[f.what as keyof typeof words];
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a line may be sighted twice; the list never changes
          <chakra.span key={i} display="block" data-finding={f.what}>
            <Tag tone={w.tone}>{w.word}</Tag>{" "}
            {(!row || f.what === "new") && <b>{f.sighting.host || (f.what === "new" ? "no name yet" : "")}</b>}{" "}
            {!row && <Mono>{[f.sighting.address, f.sighting.mac].filter(Boolean).join(" · ")}</Mono>}
            {f.what !== "new" && <chakra.span color="muted"> {f.says}</chakra.span>}
          </chakra.span>
        );
      })}
      {one.forwards.map((f) => (
        <chakra.span key={`${f.protocol} ${f.outside}`} display="block" data-finding="forward">
          <Tag tone="brass">forward</Tag> {f.name && <b>{f.name} </b>}
          <Mono>
            {f.outside}/{f.protocol === "both" ? "tcp+udp" : f.protocol} → {f.address}:{f.inside}
          </Mono>
          {f.from.length > 0 && ` from ${f.from.join(", ")}`}
          {!f.enabled && " (off)"}
        </chakra.span>
      ))}
      {one.unread && one.findings.length === 0 && <chakra.span color="madder">not understood</chakra.span>}
    </>
  );
}

function LineBlock({ lines, outcomes }: { lines: ShownLine[]; outcomes: Outcomes }) {
  return (
    <chakra.table fontSize="small">
      <tbody>
        {lines.map((l) => (
          <chakra.tr key={l.line} verticalAlign="top">
            <LineNumber line={l.line} />
            <chakra.td px="8px" py="2px" w="55%" fontFamily="mono" whiteSpace="pre-wrap" overflowWrap="anywhere">
              {l.text}
            </chakra.td>
            <chakra.td px="8px" py="2px">
              <Became line={l} outcomes={outcomes} />
            </chakra.td>
          </chakra.tr>
        ))}
      </tbody>
    </chakra.table>
  );
}

function LineNumber({ line }: { line: number }) {
  return (
    <chakra.td px="8px" py="2px" color="muted" textAlign="right" w="1%">
      {line}
    </chakra.td>
  );
}

function ListBlock({ list, lines, outcomes }: { list: FoundList; lines: ShownLine[]; outcomes: Outcomes }) {
  const set = useListRoles();
  const choose = (column: number, role: string) => {
    // Of what a device or a forward has one of, there is one column.
    const only = ["name", "mac", "address", "target"].includes(role);
    set.mutate({
      shape: list.shape,
      roles: list.roles.map((r, c) => (c === column ? role : only && r === role ? "" : r)),
    });
  };
  return (
    <>
      <Row flexWrap="wrap" px="10px" py="6px" gap="8px" fontSize="small">
        <span>
          {list.title && <b>{list.title}: </b>}
          {kinds[list.is]}, {plural(list.rows, "row")}
          {list.left > 0 && <chakra.span color="madder">, {list.left} left out</chakra.span>}
        </span>
        {list.chosen && (
          <>
            <chakra.span color="muted">as you chose for pages like this</chakra.span>
            <Button
              variant="mend"
              onClick={() => set.mutate({ shape: list.shape, roles: [] })}
              disabled={set.isPending}
            >
              Find out by itself again
            </Button>
          </>
        )}
      </Row>
      {list.ask.length > 0 && (
        <Row role="status" flexWrap="wrap" px="10px" pb="6px" gap="8px" fontSize="small" data-ask>
          <chakra.span color="brass">Which column is the name?</chakra.span>
          {list.ask.map((c) => (
            <Button key={c} variant="mend" onClick={() => choose(c, "name")} disabled={set.isPending}>
              {list.head[c] || `Column ${c + 1}`}: {lines.map((l) => l.cells[c]).find(Boolean)}
            </Button>
          ))}
        </Row>
      )}
      <chakra.table fontSize="small">
        <thead>
          <chakra.tr borderBottom="1px solid" borderColor="hair" verticalAlign="bottom">
            <th />
            {list.roles.map((role, c) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: columns have no other name
              <chakra.th key={c} px="6px" py="4px" fontWeight={600}>
                <chakra.span display="block" color="muted" fontSize="label">
                  {list.head[c] || `Column ${c + 1}`}
                </chakra.span>
                <Select
                  fontSize="small"
                  py="1px"
                  minH="26px"
                  px="3px"
                  minW="82px"
                  aria-label={`What column ${c + 1}, ${list.head[c] || "without a heading"}, holds`}
                  data-column={c}
                  value={role}
                  disabled={set.isPending}
                  onChange={(e) => choose(c, e.target.value)}
                >
                  <option value="">Something else</option>
                  <optgroup label="Of a device">
                    {ofDevice.map(([value, word]) => (
                      <option key={value} value={value}>
                        {word}
                      </option>
                    ))}
                  </optgroup>
                  <optgroup label="Of a port forward">
                    {ofForward.map(([value, word]) => (
                      <option key={value} value={value}>
                        {word}
                      </option>
                    ))}
                  </optgroup>
                  <Other role={role} />
                </Select>
              </chakra.th>
            ))}
            <chakra.th px="8px" py="4px" {...held}>
              Comes to
            </chakra.th>
          </chakra.tr>
        </thead>
        <tbody>
          {lines.map((l, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a line of a page may hold several rows
            <chakra.tr key={i} verticalAlign="top">
              <LineNumber line={l.line} />
              {list.roles.map((role, c) => (
                <chakra.td
                  // biome-ignore lint/suspicious/noArrayIndexKey: columns have no other name
                  key={c}
                  px="6px"
                  py="3px"
                  color={role ? "ink" : "muted"}
                  maxW="200px"
                  {...(typed.has(role)
                    ? { fontFamily: "mono", fontSize: "label", whiteSpace: "nowrap" }
                    : { overflowWrap: "anywhere" })}
                >
                  {l.cells[c]}
                </chakra.td>
              ))}
              <chakra.td px="8px" py="3px" minW="190px" {...held}>
                <Became line={l} outcomes={outcomes} row />
              </chakra.td>
            </chakra.tr>
          ))}
        </tbody>
      </chakra.table>
    </>
  );
}

/** what a row came to stays in view, however wide the list is */
const held = { position: "sticky", right: "0", bg: "linen" } as const;

/** what is read figure by figure */
const typed = new Set(["mac", "address", "target", "reservedaddress", "othermac", "ipv6"]);

const offered = new Set([...ofDevice, ...ofForward].map(([value]) => value));

/** Other is the choice that a column has now, where it is none of those offered. */
function Other({ role }: { role: string }) {
  const also: Record<string, string> = { reservedaddress: "Reserved address", device: "Name" };
  return role && !offered.has(role) ? <option value={role}>{also[role] ?? `Of the page (${role})`}</option> : null;
}

/** RestBlock lists what has no line to show: of captures, and far down. */
function RestBlock({ rest, several }: { rest: Finding[]; several: boolean }) {
  return (
    <chakra.table fontSize="small">
      <thead>
        <chakra.tr color="muted" borderBottom="1px solid" borderColor="hair">
          {[...(several ? ["Source"] : []), "Line", "MAC", "Address", "Name there", "Comes to"].map((h) => (
            <chakra.th key={h} px="8px" py="5px">
              {h}
            </chakra.th>
          ))}
        </chakra.tr>
      </thead>
      <tbody>
        {rest.map((f, i) => {
          const w = words[f.what as keyof typeof words];
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a line may be sighted twice; the list never changes
            <chakra.tr key={i} borderBottom="1px solid" borderColor="hair" data-finding={f.what}>
              {several && (
                <chakra.td px="8px" color="muted" maxW="120px" overflow="hidden" textOverflow="ellipsis">
                  {f.sighting.source}
                </chakra.td>
              )}
              <LineNumber line={f.sighting.line} />
              <chakra.td px="8px">
                <Mono>{f.sighting.mac || "–"}</Mono>
              </chakra.td>
              <chakra.td px="8px">
                <Mono>{f.sighting.address || "–"}</Mono>
              </chakra.td>
              <chakra.td px="8px" overflowWrap="anywhere">
                {f.sighting.host || "–"}
              </chakra.td>
              <chakra.td px="8px">
                <Tag tone={w.tone}>{w.word}</Tag> {f.what === "new" ? "" : f.says}
              </chakra.td>
            </chakra.tr>
          );
        })}
      </tbody>
    </chakra.table>
  );
}
