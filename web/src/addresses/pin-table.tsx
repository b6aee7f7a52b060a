import { useMemo } from "react";
import type { Network, Snag } from "../api/model";
import { PinHead, stateOf } from "../marks/pin";
import { Empty, Segments } from "../parts";
import { ColumnsMenu, Grid, type GridColumn, useGrid } from "../parts/grid";
import { ifaceLabel, number, type Placed, short } from "../parts/words";
import type { Suggested } from "./suggested";

export type PinRow = Placed & { suggested?: Suggested; snag?: Snag; needs: boolean };

const ways = { reservation: "reservation", device: "on the device", both: "both" };

const shows = ["all", "needs", "snags", "pinned"] as const;
type Show = (typeof shows)[number];

const tests: Record<Show, (r: PinRow) => boolean> = {
  all: () => true,
  needs: (r) => r.needs || Boolean(r.suggested),
  snags: (r) => Boolean(r.snag),
  pinned: (r) => Boolean(r.iface.pin),
};
const words: Record<Show, string> = { all: "Everything", needs: "Needs a pin", snags: "Snags", pinned: "Pinned" };

const filters = [{ id: "show", test: (r: PinRow, word: string) => tests[shows.find((s) => s === word) ?? "all"](r) }];
const rowId = (r: PinRow) => r.iface.id;

/** columnsOf are the columns of the pins of a network. */
const columnsOf = (network: Network, onTake: (id: string) => void): GridColumn<PinRow>[] => [
  {
    id: "device",
    title: "Device",
    width: "minmax(120px, 1.3fr)",
    always: true,
    value: (r) => ifaceLabel(r.device, r.iface),
    cell: (r) => <span className="word">{ifaceLabel(r.device, r.iface)}</span>,
  },
  {
    id: "seen",
    title: "Seen at",
    width: "70px",
    value: (r) => r.iface.seen && number(r.iface.seen),
    cell: (r) => <span className="mono">{short(r.iface.seen, network) || "–"}</span>,
  },
  {
    id: "pinned",
    title: "Pinned at",
    width: "minmax(96px, 0.7fr)",
    always: true,
    value: (r) => r.iface.pin && number(r.iface.pin.address),
    cell: (r) => {
      const at = short(r.suggested?.pin.address ?? r.iface.pin?.address, network) || "loose";
      return (
        <span className="mark-and-word" title={r.suggested && `${at} is suggested`}>
          <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
            <PinHead state={r.suggested ? "suggested" : stateOf(r.iface.pin)} />
          </svg>
          <span className={r.suggested ? "mono suggested" : "mono"}>{at}</span>
        </span>
      );
    },
  },
  {
    id: "how",
    title: "How",
    width: "minmax(70px, 0.7fr)",
    from: 560,
    value: (r) => r.suggested?.pin.by ?? r.iface.pin?.by,
    cell: (r) => {
      const by = r.suggested?.pin.by ?? r.iface.pin?.by;
      return by ? ways[by] : "";
    },
  },
  {
    id: "kind",
    title: "Kind",
    width: "minmax(60px, 0.7fr)",
    from: 1000,
    value: (r) => r.device.kind,
    cell: (r) => r.device.kind,
  },
  {
    id: "place",
    title: "Place",
    width: "minmax(60px, 0.7fr)",
    from: 1000,
    value: (r) => r.device.place,
    cell: (r) => r.device.place,
  },
  {
    id: "mac",
    title: "MAC",
    width: "146px",
    from: 1200,
    value: (r) => r.iface.mac,
    cell: (r) => <span className="mono small">{r.iface.mac}</span>,
  },
  {
    id: "note",
    title: "Worth knowing",
    width: "minmax(150px, 2.2fr)",
    cell: (r) =>
      r.suggested ? (
        <>
          <button type="button" tabIndex={-1} className="mend" onClick={() => onTake(r.iface.id)}>
            Pin at {short(r.suggested.pin.address, network)}
          </button>{" "}
          <span className="small muted" title={r.suggested.why}>
            {r.suggested.why}
          </span>
        </>
      ) : (
        r.snag && (
          <span className={r.snag.weight === "stops" ? "small stops" : "small muted"} title={r.snag.says}>
            {r.snag.says}
          </span>
        )
      ),
  },
];

type Props = {
  rows: PinRow[];
  network: Network;
  picked: string | undefined;
  onPick: (id: string) => void;
  onTake: (id: string) => void;
};

/** PinTable says the same as the tape in rows. */
export function PinTable({ rows, network, picked, onPick, onTake }: Props) {
  // biome-ignore lint/correctness/useExhaustiveDependencies: taking is by id, whatever else changed
  const columns = useMemo(() => columnsOf(network, onTake), [network, rows]);
  const sorted = useMemo(
    () => [...rows].sort((x, y) => Number(Boolean(y.suggested)) - Number(Boolean(x.suggested))),
    [rows],
  );
  const grid = useGrid({ name: "pins", rows: sorted, rowId, columns, filters });
  const show = shows.find((s) => s === grid.filter("show")) ?? "all";
  // biome-ignore lint/correctness/useExhaustiveDependencies: the bar is another one when these are
  const bar = useMemo(
    () => (
      <div className="filters">
        <Segments
          label="Show"
          pills
          value={show}
          onChange={(s) => grid.setFilter("show", s === "all" ? "" : s)}
          options={shows.map((s) => ({ id: s, label: words[s], count: rows.filter(tests[s]).length }))}
        />
        <ColumnsMenu grid={grid} />
      </div>
    ),
    [show, rows, grid.kept, grid.layout],
  );
  return (
    <>
      {bar}
      <Grid
        grid={grid}
        label="Addresses in rows"
        picked={picked}
        onPick={(r) => onPick(r.iface.id)}
        anywhere
        rowData={(r) => ({ "data-row": r.iface.id })}
        empty={<Empty title="None of these">Everything of this network is under “Everything”.</Empty>}
      />
    </>
  );
}
