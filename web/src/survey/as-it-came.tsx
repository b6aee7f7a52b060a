import { Box, Button, HStack, Text, VisuallyHidden, VStack } from "@chakra-ui/react";
import type { FoundList, Preview, ShownLine } from "../api/model";
import { useListRoles } from "../api/survey";
import { Select } from "../parts";
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
  ["portcount", "How many ports"],
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
    <Box bg="card" border="1px solid" borderColor="hair" borderRadius="card" overflowX="auto" data-as-it-came>
      {blocksOf(data.lines).map((b) => {
        const list = data.lists[b.list - 1];
        return (
          <Box
            key={`${b.source} ${b.lines[0]?.line} ${b.list}`}
            borderBottom="1px solid"
            borderColor="hair"
            data-list={list?.is}
          >
            {several && (
              <Text px="10px" pt="6px" color="muted" fontSize="small">
                {b.source}
              </Text>
            )}
            {list ? (
              <ListBlock
                list={list}
                lines={b.lines}
                outcomes={outcomes}
                questions={data.questions.filter((q) => q.shape === list.shape)}
              />
            ) : (
              <LineBlock lines={b.lines} outcomes={outcomes} />
            )}
          </Box>
        );
      })}
      {rest.length > 0 && <RestBlock rest={rest.slice(0, most)} several={several} />}
      {unseen > 0 && (
        <Text p="8px" color="muted">
          and {plural(unseen, "more sighting")}, read the same way
        </Text>
      )}
    </Box>
  );
}

const bare = (text: string) => text.toLowerCase().replaceAll(/[:.-]/g, "");

type BecameProps = { line: ShownLine; outcomes: Outcomes; row?: boolean; asked?: boolean };

/**
 * Became is what a line came to; beside the cells of its row their addresses are not said again. Asked is
 * whether its list waits for an answer.
 */
function Became({ line, outcomes, row, asked }: BecameProps) {
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
  if (!one) return <span className="muted">–</span>;
  return (
    <>
      {one.findings.map((f, i) => {
        const w = words[f.what];
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a line may be sighted twice; the list never changes
          <span key={i} className="outcome" data-finding={f.what}>
            <span className="tag" data-tone={w.tone}>
              {w.word}
            </span>{" "}
            {(!row || f.what === "new") && <b>{f.sighting.host || (f.what === "new" ? "no name yet" : "")}</b>}{" "}
            {!row && <span className="mono">{[f.sighting.address, f.sighting.mac].filter(Boolean).join(" · ")}</span>}
            {f.what !== "new" && <span className="muted"> {f.says}</span>}
          </span>
        );
      })}
      {one.forwards.map((f) => (
        <span key={`${f.protocol} ${f.outside}`} className="outcome" data-finding="forward">
          <span className="tag">forward</span> {f.name && <b>{f.name} </b>}
          <span className="mono">
            {f.outside}/{f.protocol === "both" ? "tcp+udp" : f.protocol} → {f.address}:{f.inside}
          </span>
          {f.from.length > 0 && ` from ${f.from.join(", ")}`}
          {!f.enabled && " (off)"}
        </span>
      ))}
      {one.unread &&
        one.findings.length === 0 &&
        (asked ? (
          <span className="suggested">waits for the answer above</span>
        ) : (
          <span className="stops">not understood</span>
        ))}
    </>
  );
}

function LineBlock({ lines, outcomes }: { lines: ShownLine[]; outcomes: Outcomes }) {
  return (
    <table className="as-it-came">
      <tbody>
        {lines.map((l) => (
          <tr key={l.line}>
            <LineNumber line={l.line} />
            <td className="mono line-text">{l.text}</td>
            <td>
              <Became line={l} outcomes={outcomes} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

type ListBlockProps = {
  list: FoundList;
  lines: ShownLine[];
  outcomes: Outcomes;
  questions: Preview["questions"];
};

function LineNumber({ line }: { line: number }) {
  return <td className="line-number">{line}</td>;
}

function ListBlock({ list, lines, outcomes, questions }: ListBlockProps) {
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
      <HStack flexWrap="wrap" px="10px" py="6px" gap="8px" fontSize="small">
        <span>
          {list.title && <b>{list.title}: </b>}
          {kinds[list.is]}, {plural(list.rows, "row")}
          {list.left > 0 && <span className="stops">, {list.left} left out</span>}
        </span>
        {list.chosen && (
          <>
            <span className="muted">as you chose for pages like this</span>
            <Button
              variant="plain"
              onClick={() => set.mutate({ shape: list.shape, roles: [] })}
              disabled={set.isPending}
            >
              Find out by itself again
            </Button>
          </>
        )}
      </HStack>
      {questions.map((q) => (
        <VStack
          key={q.says}
          role="group"
          aria-label={q.says}
          alignItems="start"
          px="10px"
          pb="8px"
          gap="4px"
          fontSize="small"
          data-ask
        >
          <span className="suggested">{q.says}</span>
          <HStack flexWrap="wrap" gap="12px">
            {q.readings.map((r) => (
              <HStack key={r.says} gap="6px">
                <Button
                  variant="plain"
                  onClick={() => set.mutate({ shape: q.shape, roles: r.roles })}
                  disabled={set.isPending}
                >
                  {r.says}
                </Button>
                <span className="muted">{r.means}</span>
              </HStack>
            ))}
          </HStack>
        </VStack>
      ))}
      <table className="as-it-came">
        <thead>
          <tr>
            <th>
              <VisuallyHidden>Line</VisuallyHidden>
            </th>
            {list.roles.map((role, c) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: columns have no other name
              <th key={c}>
                <span className="muted heading">{list.head[c] || `Column ${c + 1}`}</span>
                <Select
                  size="xs"
                  aria-label={`What column ${c + 1}, ${list.head[c] || "without a heading"}, holds`}
                  data-column={c}
                  value={role}
                  disabled={set.isPending}
                  onChange={(e) => choose(c, e.currentTarget.value)}
                  options={[["", "Something else"]]}
                >
                  <Offered label="Of a device" of={ofDevice} />
                  <Offered label="Of a port forward" of={ofForward} />
                  <Other role={role} />
                </Select>
              </th>
            ))}
            <th className="held">Comes to</th>
          </tr>
        </thead>
        <tbody>
          {lines.map((l, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a line of a page may hold several rows
            <tr key={i}>
              <LineNumber line={l.line} />
              {list.roles.map((role, c) => (
                <td
                  // biome-ignore lint/suspicious/noArrayIndexKey: columns have no other name
                  key={c}
                  className={typed.has(role) ? "mono figures" : role ? undefined : "muted"}
                >
                  {l.cells[c]}
                </td>
              ))}
              <td className="held">
                <Became line={l} outcomes={outcomes} row asked={questions.length > 0} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** what is read figure by figure */
const typed = new Set(["mac", "address", "target", "reservedaddress", "othermac", "ipv6"]);

const offered = new Set([...ofDevice, ...ofForward].map(([value]) => value));

function Offered({ label, of }: { label: string; of: [string, string][] }) {
  return (
    <optgroup label={label}>
      {of.map(([value, word]) => (
        <option key={value} value={value}>
          {word}
        </option>
      ))}
    </optgroup>
  );
}

/** Other is the choice that a column has now, where it is none of those offered. */
function Other({ role }: { role: string }) {
  const also: Record<string, string> = { reservedaddress: "Reserved address", device: "Name" };
  return role && !offered.has(role) ? <option value={role}>{also[role] ?? `Of the page (${role})`}</option> : null;
}

/** RestBlock lists what has no line to show: of captures, and far down. */
function RestBlock({ rest, several }: { rest: Finding[]; several: boolean }) {
  return (
    <table className="as-it-came">
      <thead>
        <tr>
          {[...(several ? ["Source"] : []), "Line", "MAC", "Address", "Name there", "Comes to"].map((h) => (
            <th key={h}>{h}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rest.map((f, i) => {
          const w = words[f.what];
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a line may be sighted twice; the list never changes
            <tr key={i} data-finding={f.what}>
              {several && <td className="muted">{f.sighting.source}</td>}
              <LineNumber line={f.sighting.line} />
              <td>
                <span className="mono">{f.sighting.mac || "–"}</span>
              </td>
              <td>
                <span className="mono">{f.sighting.address || "–"}</span>
              </td>
              <td>{f.sighting.host || "–"}</td>
              <td>
                <span className="tag" data-tone={w.tone}>
                  {w.word}
                </span>{" "}
                {f.what === "new" ? "" : f.says}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
