import { Button, Flex } from "@chakra-ui/react";
import type { RowSelectionState } from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type ReactNode, useEffect, useRef } from "react";
import { Remark } from "..";
import { useKeys } from "../keys";
import { useWidth } from "../width";
import { GroupHead, HeadCell, shownOf, widthOf } from "./heads";
import type { GridModel } from "./model";
import { walkOf } from "./walk";

export { ColumnsMenu } from "./columns-menu";
export { type GridColumn, type GridFilter, type GridGroup, type GridModel, useGrid } from "./model";

type GridProps<R> = {
  grid: GridModel<R>;
  label: string;
  picked: string | undefined;
  onPick: (row: R) => void;
  /** what Enter does on the picked row */
  onEnter?: (row: R) => void;
  onKey?: (e: KeyboardEvent, row: R | undefined) => void;
  choosing?: boolean;
  /** its arrows work wherever nothing else has the focus */
  anywhere?: boolean;
  /** takes all the height there is, instead of that of some rows */
  fills?: boolean;
  /** what a row is called where it is chosen; ids are no names */
  called?: (row: R) => string;
  rowData?: (row: R) => Record<`data-${string}`, string | undefined>;
  empty: ReactNode;
};

const atDesk = window.matchMedia("(min-width: 860px)").matches;
const rowHeight = atDesk ? 29 : 44; // for a finger
const tickRoom = atDesk ? "24px" : "44px";
/** The rows that a grid shows at once which does not fill its view. */
const mostRows = 16;

/** Grid is a table of which only the rows in sight are made. It is one stop of the Tab key, with arrows inside. */
export function Grid<R>({
  grid,
  label,
  picked,
  onPick,
  onEnter,
  onKey,
  choosing,
  called = () => "this row",
  fills,
  anywhere,
  rowData,
  empty,
}: GridProps<R>) {
  const { table, items, kept, keep } = grid;
  const [frame, width] = useWidth<HTMLDivElement>(800);
  const scroller = useRef<HTMLDivElement>(null);
  const through = useRef<string>(undefined);
  const columns = shownOf(grid, width);
  const virtual = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 8,
    scrollMargin: rowHeight,
    scrollPaddingStart: rowHeight,
  });
  const rows = items.flatMap((i) => ("row" in i ? [i.row] : []));
  const at = items.findIndex((i) => "row" in i && i.row.id === picked);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new pick is brought into sight, not each new order
  useEffect(() => {
    const { scrollOffset, scrollRect } = virtual;
    const top = (at + 1) * rowHeight;
    if (scrollOffset !== null && scrollRect) {
      const [from, to] = [scrollOffset + rowHeight, scrollOffset + scrollRect.height - rowHeight];
      if (top >= from && top <= to) return; // to ask the page would make it lay everything out
    }
    if (at >= 0) virtual.scrollToIndex(at);
  }, [picked]);
  const template = `${choosing ? `${tickRoom} ` : ""}${columns.map((c) => widthOf(grid, c)).join(" ")}`;
  const walk = walkOf({ grid, columns, frame, picked, onPick, show: (i) => virtual.scrollToIndex(i) });
  const mark = (id: string, range: boolean) => {
    const order = rows.map((r) => r.id);
    const [from, to] = [order.indexOf(through.current ?? id), order.indexOf(id)];
    const on = !kept.selection[id];
    const ids = range && from >= 0 ? order.slice(Math.min(from, to), Math.max(from, to) + 1) : [id];
    through.current = id;
    keep({ selection: chosenOf(kept.selection, ids, on) });
  };
  const all = rows.length > 0 && rows.every((r) => kept.selection[r.id]);
  const ids = rows.map((r) => r.id);
  const markAll = () => keep({ selection: chosenOf(kept.selection, ids, !all) });
  const keys = (e: KeyboardEvent) => {
    const at = e.target;
    if (!(at instanceof HTMLElement)) return;
    const group = at.closest<HTMLElement>("[data-rowgroup]");
    if (at.dataset.head !== undefined ? walk.inHeads(e, at) : group && walk.inHeading(e, group, at)) {
      e.preventDefault();
      e.stopPropagation();
      return;
    }
    if (at !== scroller.current && !at.matches("[role=row]")) return;
    const row = rows.find((r) => r.id === picked);
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 12, PageUp: -12, Home: -1e6, End: 1e6 }[e.key];
    if (step !== undefined) walk.go(step);
    else if (e.key === "ArrowLeft" && walk.up()) return e.preventDefault();
    else if (choosing && e.key === "a" && (e.ctrlKey || e.metaKey)) markAll();
    else if (choosing && e.key === " " && row) mark(row.id, e.shiftKey);
    else if (e.key === "Enter" && row && onEnter) onEnter(row.original);
    else return onKey?.(e, row?.original);
    e.preventDefault();
    e.stopPropagation();
  };
  useKeys(anywhere ? { ArrowDown: () => walk.go(1), ArrowUp: () => walk.go(-1) } : {});
  const hidden =
    picked !== undefined &&
    table.getCoreRowModel().rowsById[picked] !== undefined &&
    !table.getRowModel().rows.some((r) => r.id === picked);
  return (
    <Flex
      ref={frame}
      flexDirection="column"
      flex={fills ? 1 : "none"}
      minH={fills ? "200px" : undefined}
      maxH={fills ? { base: "70dvh", md: "none" } : undefined} // where the page scrolls, rows are made for a window of their own
      style={fills ? undefined : { height: (Math.min(Math.max(items.length, 1), mostRows) + 1.2) * rowHeight }}
    >
      {hidden && (
        <Remark status="info" mb="6px" flex="none" data-hidden>
          What is picked is not among the rows that are shown.{" "}
          <Button variant="plain" onClick={() => keep({ filters: [] })}>
            Show everything
          </Button>
        </Remark>
      )}
      <div
        ref={scroller}
        role="grid"
        tabIndex={0}
        aria-label={label}
        aria-rowcount={table.getRowModel().rows.length + 1}
        aria-multiselectable={choosing || undefined}
        aria-activedescendant={picked && rows.some((r) => r.id === picked) ? `row-${picked}` : undefined}
        onKeyDown={keys}
        className="grid"
        data-grid={grid.name}
      >
        <div role="row" className="grid-head" style={{ gridTemplateColumns: template }}>
          {choosing && (
            <span role="columnheader">
              <label className="tick-room">
                <input
                  type="checkbox"
                  tabIndex={-1}
                  data-head=""
                  aria-label="Choose all that are shown"
                  checked={all}
                  onChange={markAll}
                />
              </label>
            </span>
          )}
          {columns.map((c) => (
            <HeadCell key={c.id} grid={grid} column={c} />
          ))}
        </div>
        {items.length === 0 && empty}
        <div role="presentation" style={{ height: virtual.getTotalSize(), position: "relative" }} data-rows>
          {virtual.getVirtualItems().map((v) => {
            const item = items[v.index];
            if (!item) return null;
            const top = { transform: `translateY(${v.start - rowHeight}px)` };
            if ("group" in item)
              return (
                <GroupHead
                  key={item.group.id}
                  item={item}
                  style={top}
                  onFold={() =>
                    keep({
                      folded: kept.folded.includes(item.group.id)
                        ? kept.folded.filter((g) => g !== item.group.id)
                        : [...kept.folded, item.group.id],
                    })
                  }
                />
              );
            const { row } = item;
            return (
              // biome-ignore lint/a11y/useKeyWithClickEvents: keys are heard by the group of rows
              <div
                key={row.id}
                id={`row-${row.id}`}
                role="row"
                tabIndex={-1}
                className="grid-row"
                aria-rowindex={rows.indexOf(row) + 2}
                aria-selected={row.id === picked}
                data-marked={kept.selection[row.id] ? "" : undefined}
                style={{ ...top, gridTemplateColumns: template }}
                onClick={({ target }) => {
                  if (!(target instanceof Element && target.closest(".tick-room"))) onPick(row.original);
                }}
                {...rowData?.(row.original)}
              >
                {choosing && (
                  <span role="gridcell">
                    <label className="tick-room">
                      <input
                        type="checkbox"
                        tabIndex={-1}
                        aria-label={`Choose ${called(row.original)}`}
                        checked={kept.selection[row.id] ?? false}
                        onClick={(e) => mark(row.id, e.shiftKey)}
                        readOnly
                      />
                    </label>
                  </span>
                )}
                {columns.map((c) => {
                  const cell = c.cell(row.original);
                  return (
                    <span role="gridcell" key={c.id} title={typeof cell === "string" ? cell : undefined}>
                      {cell}
                    </span>
                  );
                })}
              </div>
            );
          })}
        </div>
      </div>
    </Flex>
  );
}

const chosenOf = (old: RowSelectionState, ids: string[], on: boolean) => ({
  ...old,
  ...Object.fromEntries(ids.map((id) => [id, on])),
});
