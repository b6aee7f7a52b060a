import { Box } from "@chakra-ui/react";
import { useMemo } from "react";
import type { Answer, Forward, Router } from "../api/model";
import { useSite } from "../api/site";
import { Muted } from "../parts";
import { ColumnsMenu, Grid, type GridColumn, useGrid } from "../parts/grid";
import { usePick } from "../parts/pick";
import { ifaceLabel, indexOf, networkOf, short } from "../parts/words";
import { chainOf } from "./ways";

type Row = { forward: Forward; to: string; address: string; note: string; stops: boolean };

const first = (ports: string) => Number(ports.split(/[,-]/)[0]);

const columns: GridColumn<Row>[] = [
  {
    id: "forward",
    title: "Forward",
    width: "minmax(90px, 1.4fr)",
    always: true,
    value: (r) => r.forward.name || "unnamed",
    cell: (r) => <span className="word">{r.forward.name || "unnamed"}</span>,
  },
  {
    id: "outside",
    title: "Outside",
    width: "minmax(88px, 1.15fr)",
    always: true,
    value: (r) => first(r.forward.outside),
    cell: (r) => (
      <span className="mono">
        {r.forward.outside} <span className="muted">{r.forward.protocol}</span>
      </span>
    ),
  },
  {
    id: "to",
    title: "To",
    width: "minmax(90px, 1.3fr)",
    value: (r) => r.to,
    cell: (r) => (
      <>
        {r.to} <span className="mono muted">{r.address}</span>
      </>
    ),
  },
  {
    id: "inside",
    title: "Device port",
    width: "76px",
    value: (r) => first(r.forward.inside || r.forward.outside),
    cell: ({ forward: f }) => <span className="mono">{!f.inside || f.inside === f.outside ? "same" : f.inside}</span>,
  },
  {
    id: "note",
    title: "Worth knowing",
    width: "minmax(100px, 1.5fr)",
    cell: (r) => <span className={r.stops ? "small stops" : "small muted"}>{r.note}</span>,
  },
];

const rowId = (r: Row) => r.forward.id;

function rowsOf(a: Answer, router: Router): Row[] {
  const { interfaces, targets, snags } = indexOf(a);
  const chain = new Map(chainOf(a, router).map((r) => [r.id, r]));
  return a.site.forwards
    .filter((f) => chain.has(f.router))
    .map((f) => {
      const target = targets.get(f.id);
      const p = interfaces.get(target?.interface ?? "");
      const inner = a.site.routers.find((r) => r.upstream && r.wan?.address === target?.address);
      const snag = snags.get(`forward:${f.id}`)?.[0];
      return {
        forward: f,
        to: p ? ifaceLabel(p.device, p.iface) : (inner?.name ?? ""),
        address: target?.address ? short(target.address, p && networkOf(a.site, p.iface.network)) : "loose",
        stops: snag?.weight === "stops",
        note: [
          chain.size > 1 && `at ${chain.get(f.router)?.name || f.router}`,
          !f.enabled && "switched off",
          f.locked && "locked",
          f.from.length > 0 && `only from ${f.from.join(", ")}`,
          snag?.says,
        ]
          .filter(Boolean)
          .join(" · "),
      };
    });
}

/** ForwardTable says the same as the threads in rows. */
export function ForwardTable({ router }: { router: Router }) {
  const a = useSite();
  const [pick, setPick] = usePick();
  const rows = useMemo(() => rowsOf(a, router), [a, router]);
  const grid = useGrid({ name: "forwards", rows, rowId, columns });
  const picked = rows.find(
    ({ forward: f }) => pick === `forward:${f.id}` || (f.service && pick === `service:${f.service}`),
  );
  if (rows.length === 0) return <Muted>Nothing is forwarded at this router yet.</Muted>;
  return (
    <>
      <Box className="filters">
        <ColumnsMenu grid={grid} />
      </Box>
      <Grid
        grid={grid}
        label="Forwards in rows"
        picked={picked?.forward.id}
        onPick={(r) => setPick(`forward:${r.forward.id}`)}
        rowData={(r) => ({ "data-forward": r.forward.id, "data-off": r.forward.enabled ? undefined : "" })}
        empty={null}
      />
    </>
  );
}
