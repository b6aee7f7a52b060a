import { ChevronDown, ChevronRight } from "lucide-react";
import { type PointerEvent, useRef } from "react";
import type { GridColumn, GridGroup, GridModel, Item } from "./model";
import { widen } from "./walk";

/** widthOf is how wide a column is: as it was drawn, else as it would be. */
export const widthOf = <R,>(grid: GridModel<R>, c: GridColumn<R>) => {
  const px = grid.layout.widths[c.id];
  return px ? `${px}px` : c.width;
};

/** shownOf are the columns that are shown: those that were chosen, else those that there is room for. */
export function shownOf<R>(grid: GridModel<R>, width: number): GridColumn<R>[] {
  return grid.columns.filter((c) => c.always || (grid.layout.visible[c.id] ?? width >= (c.from ?? 0)));
}

/** GroupHead stands over rows that ask the same of the user. */
export function GroupHead<R>({
  item: { group, count, open },
  style,
  onFold,
}: {
  item: Extract<Item<R>, { group: GridGroup<R> }>;
  style: { transform: string };
  onFold: () => void;
}) {
  return (
    <div role="row" className="grid-group" style={style} data-rowgroup={group.id} data-tone={group.tone}>
      <span role="gridcell" style={{ display: "contents" }}>
        <button type="button" tabIndex={-1} aria-expanded={open} onClick={onFold} className="group-title">
          {open ? <ChevronDown size={14} aria-hidden="true" /> : <ChevronRight size={14} aria-hidden="true" />}
          {group.title} <span className="muted">{count}</span>
        </button>
        <span style={{ flex: 1 }} />
        {group.does}
      </span>
    </div>
  );
}

/** HeadCell sorts by its column: up, down, and back to how the site has it; its edge makes it wider. */
export function HeadCell<R>({ grid, column }: { grid: GridModel<R>; column: GridColumn<R> }) {
  const cell = useRef<HTMLSpanElement>(null);
  const sorts = grid.table.getColumn(column.id);
  const way = sorts?.getIsSorted();
  const resize = (e: PointerEvent<HTMLSpanElement>) => {
    const start = cell.current?.getBoundingClientRect().width ?? 100;
    const from = e.clientX;
    const edge = e.currentTarget;
    edge.setPointerCapture(e.pointerId);
    const moved = (to: globalThis.PointerEvent) => widen(grid, column.id, start + to.clientX - from);
    edge.addEventListener("pointermove", moved);
    edge.addEventListener("pointerup", () => edge.removeEventListener("pointermove", moved), { once: true });
  };
  return (
    <span
      ref={cell}
      role="columnheader"
      aria-sort={way === "asc" ? "ascending" : way === "desc" ? "descending" : column.value ? "none" : undefined}
      style={{ position: "relative" }}
    >
      {column.value ? (
        <button
          type="button"
          tabIndex={-1}
          data-head={column.id}
          onClick={() => sorts?.toggleSorting()}
          title={`Sort by ${column.title.toLowerCase()}`}
        >
          {column.title}
          {way && <span aria-hidden="true">{way === "asc" ? " ↑" : " ↓"}</span>}
        </button>
      ) : (
        <span tabIndex={-1} data-head={column.id}>
          {column.title}
        </span>
      )}
      <span className="column-edge" onPointerDown={resize} aria-hidden="true" />
    </span>
  );
}
