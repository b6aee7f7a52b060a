import type { Answer, Network } from "../api/model";
import { PinHead, stateOf } from "../marks/pin";
import type { GridColumn } from "../parts/grid";
import { networkOf, short } from "../parts/words";
import { stroke } from "../theme/plain";
import { NameField } from "./name-field";
import { type DeviceRow, seenAt } from "./rows";
import { sourcesOf } from "./sources";

const said = { moved: "moved", swapped: "swapped?", renamed: "renamed", new: "new", gone: "gone" };

/** The snags that are told in a row in fewer words than their code has. */
const briefly: Record<string, string> = {
  "address-answers-already": "taken",
  "device-set-in-range": "static in range",
  "open-but-loose": "open, loose",
  "mac-randomised": "randomised MAC",
  "router-cannot-reserve-there": "not reservable",
  "address-off-network": "off network",
  "address-unusable": "unusable",
};

/** columnsOf are the columns of the list of devices. */
export function columnsOf(a: Answer, onNamed: (device: string) => void): GridColumn<DeviceRow>[] {
  const networkFor = (r: DeviceRow) => networkOf(a.site, r.device.interfaces[0]?.network ?? "");
  const visits = a.site.visits.length > 1;
  return [
    {
      id: "name",
      title: "Device",
      width: "minmax(140px, 1.6fr)",
      always: true,
      value: (r) => r.device.name,
      cell: (r) => (
        <span className="mark-and-word">
          <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
            <PinHead state={stateOf(r.device.interfaces[0]?.pin)} />
          </svg>
          <NameField device={r.device} guess={r.guess?.kind} onNamed={() => onNamed(r.device.id)} />
        </span>
      ),
    },
    {
      id: "kind",
      title: "Kind",
      width: "minmax(68px, 0.9fr)",
      value: (r) => r.device.kind || r.guess?.kind,
      cell: (r) =>
        r.device.kind ||
        (r.guess && (
          <span className="muted" title={r.guess.reasons.join("; ")}>
            {r.guess.kind}?
          </span>
        )),
    },
    {
      id: "place",
      title: "Place",
      width: "minmax(52px, 0.8fr)",
      from: 620,
      value: (r) => r.device.place,
      cell: (r) => r.device.place,
    },
    {
      id: "maker",
      title: "Maker",
      width: "minmax(64px, 0.9fr)",
      from: 760,
      value: (r) => r.maker,
      cell: (r) => <span className="muted">{r.maker || (r.randomised ? "randomised" : "")}</span>,
    },
    {
      id: "seen",
      title: visits ? "Seen at, then and now" : "Seen at",
      width: visits ? "150px" : "70px",
      value: seenAt,
      cell: (r) => (visits ? <ThenAndNow row={r} network={networkFor(r)} /> : <Seen row={r} network={networkFor(r)} />),
    },
    {
      id: "mac",
      title: "MAC",
      width: "146px",
      from: 600,
      value: (r) => r.device.interfaces[0]?.mac,
      cell: (r) => {
        const mac = r.device.interfaces[0]?.mac;
        return <span className={mac ? "mono small" : "small muted"}>{mac || "not known"}</span>;
      },
    },
    {
      id: "by",
      title: "Seen by",
      width: "minmax(80px, 0.8fr)",
      from: 980,
      value: (r) => sourcesOf(r.device),
      cell: (r) => <span className="small muted">{sourcesOf(r.device)}</span>,
    },
    {
      id: "tag",
      title: "Worth knowing",
      width: "minmax(96px, 0.8fr)",
      always: true,
      cell: (r) => <RowTag row={r} network={networkFor(r)} />,
    },
  ];
}

function Seen({ row, network }: { row: DeviceRow; network: Network | undefined }) {
  const at = row.device.interfaces.map((i) => short(i.seen, network)).filter(Boolean);
  return <span className="mono">{at.join(" ") || "–"}</span>;
}

/** ThenAndNow is the line from the visit before to this one: who stayed, moved, came, went. */
function ThenAndNow({ row, network }: { row: DeviceRow; network: Network | undefined }) {
  const now = row.difference?.what === "gone" ? "" : row.now;
  const way = !row.before && now ? "came" : row.before && !now ? "went" : row.before !== now ? "moved" : "stayed";
  const says = {
    came: "was not here",
    went: "not seen this time",
    moved: `was at ${row.before}`,
    stayed: "where it was",
  };
  return (
    <span className="then-now" data-way={way} title={`${now || "–"}: ${says[way]}`}>
      <span className="mono">{short(row.before, network)}</span>
      <svg width="56" height="14" viewBox="0 0 56 14" aria-hidden="true" className="hollow">
        {way === "stayed" && row.before && <path d="M2 7H54" className={stroke("hair")} strokeWidth="2" />}
        {way === "moved" && <path d="M2 7H54M24 3l6 8M29 3l6 8" className={stroke("brass-mark")} strokeWidth="2" />}
        {way === "came" && (
          <path d="M40 7h14M40 7m-3 0a3 3 0 1 0 6 0a3 3 0 1 0 -6 0" className={stroke("moss-mark")} strokeWidth="2" />
        )}
        {way === "went" && (
          <path
            d="M2 7h16M48 7m-4 0a4 4 0 1 0 8 0a4 4 0 1 0 -8 0"
            className={stroke("muted")}
            strokeWidth="1.4"
            strokeDasharray="2.2 1.6"
          />
        )}
      </svg>
      <span className="mono now">{short(now, network)}</span>
    </span>
  );
}

/** RowTag is the one thing that is most worth saying of a device. */
function RowTag({ row, network }: { row: DeviceRow; network: Network | undefined }) {
  const { device: d, snag, difference } = row;
  const off = d.interfaces.find((i) => i.pin && i.seen && i.pin.address !== i.seen);
  const tag = (word: string, tone = "brass") => (
    <span className="tag" data-tone={tone}>
      {word}
    </span>
  );
  if (row.live === "new") return tag("new", "moss");
  if (row.swap) return tag("swapped?");
  if (snag)
    return tag(briefly[snag.code] ?? snag.code.replaceAll("-", " "), snag.weight === "stops" ? "madder" : "brass");
  if (difference && difference.what !== "elsewhere")
    return tag(said[difference.what], difference.what === "new" ? "moss" : "brass");
  if (off) return tag(`not yet at ${short(off.pin?.address, network)}`, "chalk");
  if (row.needs) return tag("needs a pin");
  if (d.interfaces.length > 1) return <span className="small muted">{d.interfaces.length} addresses</span>;
  return row.live ? <span className="small muted">answered</span> : null;
}
