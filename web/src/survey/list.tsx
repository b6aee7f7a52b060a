import { Button, Flex } from "@chakra-ui/react";
import { useCallback, useMemo } from "react";
import { useSite } from "../api/site";
import { useSweep } from "../api/survey";
import { Empty, Segments, Select } from "../parts";
import { ColumnsMenu, Grid, type GridGroup, type GridModel, useGrid } from "../parts/grid";
import { useKeys } from "../parts/keys";
import { later } from "../parts/later";
import { usePick } from "../parts/pick";
import { indexOf, label, ownerOf } from "../parts/words";
import { columnsOf } from "./columns";
import { Offers } from "./offers";
import { type DeviceRow, filters, shows, showWords, tests, wrong } from "./rows";
import { Strip } from "./strip";

const BulkBar = later(() => import("./bulk").then((m) => m.BulkBar));

const rowId = (r: DeviceRow) => r.device.id;

const nameOf = (id: string) =>
  document.querySelector<HTMLInputElement>(`[data-device="${CSS.escape(id)}"] input[type=text]`);

/** focusName puts the focus on the name in a row, once the row is made. */
const focusName = (id: string) => requestAnimationFrame(() => requestAnimationFrame(() => nameOf(id)?.focus()));

/** DeviceList is who is there: as a strip of addresses and in rows, with what chooses and orders them. */
export function DeviceList({ rows }: { rows: DeviceRow[] }) {
  const a = useSite();
  const [pick, setPick] = usePick();
  const pickDevice = useCallback((id: string) => setPick(`device:${id}`), [setPick]);
  const picked = ownerOf(pick, a.site)?.id ?? (pick?.startsWith("device:") ? pick.slice("device:".length) : undefined);
  const groups = useGroups(rows);
  // biome-ignore lint/correctness/useExhaustiveDependencies: naming goes on in the order of the rows as they are
  const columns = useMemo(() => columnsOf(a, nameNext), [a]);
  const grid = useGrid({ name: "devices", rows, rowId, columns, filters, groups });
  const network =
    a.site.networks.find((n) => n.id === indexOf(a).devices.get(picked ?? "")?.interfaces[0]?.network) ??
    a.site.networks[0];
  function nameNext(device: string) {
    const next = grid.order[grid.order.indexOf(device) + 1];
    if (!next) return;
    pickDevice(next);
    focusName(next);
  }
  useKeys({
    x: () => picked && grid.keep({ selection: { ...grid.kept.selection, [picked]: !grid.kept.selection[picked] } }),
    Enter: () => picked && focusName(picked),
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: the bar is another one when these are
  const bar = useMemo(() => <Filters rows={rows} grid={grid} />, [rows, grid.kept, grid.layout]);
  return (
    <>
      {network && <Strip rows={rows} network={network} picked={picked} onPick={pickDevice} />}
      <Offers />
      {bar}
      {grid.marked.length > 0 && (
        <BulkBar devices={grid.marked.map((r) => r.device)} onClear={() => grid.keep({ selection: {} })} />
      )}
      <Grid
        grid={grid}
        label="Devices in rows"
        picked={picked}
        onPick={(r) => pickDevice(r.device.id)}
        onEnter={(r) => focusName(r.device.id)}
        choosing
        called={(r) => label(r.device)}
        fills
        anywhere
        rowData={(r) => ({ "data-device": r.device.id, "data-live": r.live })}
        empty={
          <Empty title="None of these">
            <Button variant="plain" onClick={() => grid.keep({ filters: [] })}>
              Show everything
            </Button>
          </Empty>
        }
      />
    </>
  );
}

/** How many rows may be as they were before those are folded. */
const mostAsBefore = 60;

/** useGroups puts rows together by what they ask of the installer, once there is a visit to compare with. */
function useGroups(rows: DeviceRow[]): GridGroup<DeviceRow>[] | undefined {
  const { start } = useSweep();
  const asks = rows.some((r) => wrong(r) || tests.new(r) || tests.gone(r));
  return useMemo(() => {
    if (!asks) return undefined;
    const calm = rows.filter((r) => !wrong(r) && !tests.new(r) && !tests.gone(r)).length;
    return [
      { id: "wrong", title: "Who is where it should not be", tone: "madder", rows: wrong },
      { id: "new", title: "New this time", tone: "moss", rows: tests.new },
      {
        id: "gone",
        title: "Not seen this time",
        tone: "muted",
        rows: tests.gone,
        does: (
          <button type="button" tabIndex={-1} className="mend" onClick={() => start.mutate({})}>
            Ask again
          </button>
        ),
      },
      { id: "rest", title: "As it was", tone: "ink", rows: () => true, folds: calm > mostAsBefore },
    ];
  }, [asks, rows, start.mutate]);
}

/** Filters choose which rows are shown. */
function Filters({ rows, grid }: { rows: DeviceRow[]; grid: GridModel<DeviceRow> }) {
  const words = (of: (r: DeviceRow) => string | undefined) => [...new Set(rows.map((r) => of(r) || "none"))].sort();
  const narrow = (id: "kind" | "place", label: string, of: (r: DeviceRow) => string | undefined) => (
    <Select
      aria-label={`${label} to show`}
      size="xs"
      look="subtle"
      width="106px"
      value={grid.filter(id)}
      onChange={(e) => grid.setFilter(id, e.currentTarget.value)}
      options={[["", `any ${label.toLowerCase()}`], ...words(of).map((w) => [w, w] as const)]}
    />
  );
  return (
    <Flex className="filters no-print">
      <Segments
        label="Show"
        pills
        value={shows.find((s) => s === grid.filter("show")) ?? "all"}
        onChange={(s) => grid.setFilter("show", s === "all" ? "" : s)}
        options={shows.map((s) => ({ id: s, label: showWords[s], count: rows.filter(tests[s]).length }))}
      />
      {narrow("kind", "Kind", (r) => r.device.kind)}
      {narrow("place", "Place", (r) => r.device.place)}
      <ColumnsMenu grid={grid} />
    </Flex>
  );
}
