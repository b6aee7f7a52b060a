import {
  type ColumnDef,
  type ColumnFiltersState,
  functionalUpdate,
  getCoreRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  type Row,
  type RowSelectionState,
  type SortingState,
  type Table,
  type Updater,
  useReactTable,
} from "@tanstack/react-table";
import { type ReactNode, useCallback, useMemo, useState } from "react";
import { Shelf, useKept } from "../kept";

/** A column of a grid: its heading, how wide it is, what it sorts by and what it shows. */
export type GridColumn<R> = {
  id: string;
  title: string;
  width: string;
  /** the width of the grid from which the column is shown where nobody chose */
  from?: number;
  /** what rows are sorted by; none cannot be sorted by it */
  value?: (row: R) => string | number | undefined;
  cell: (row: R) => ReactNode;
  /** a column that stays whatever is chosen */
  always?: boolean;
};

/** A test of rows that is switched on by a word. */
export type GridFilter<R> = { id: string; test: (row: R, word: string) => boolean };

export type Kept = {
  sorting: SortingState;
  filters: ColumnFiltersState;
  selection: RowSelectionState;
  folded: string[];
};
const shelf = new Shelf<Kept>();
const fresh: Kept = { sorting: [], filters: [], selection: {}, folded: [] };

/** What outlives the window: which columns are shown, and how wide. */
type Layout = { visible: Record<string, boolean>; widths: Record<string, number> };

function layoutOf(name: string): Layout {
  try {
    return { visible: {}, widths: {}, ...JSON.parse(localStorage.getItem(`vestpin-columns-${name}`) ?? "{}") };
  } catch {
    return { visible: {}, widths: {} };
  }
}

const natural = new Intl.Collator(undefined, { numeric: true, sensitivity: "base" });

function compare<R>(a: Row<R>, b: Row<R>, column: string): number {
  const [x, y] = [a.getValue(column), b.getValue(column)];
  return typeof x === "number" && typeof y === "number" ? x - y : natural.compare(String(x), String(y));
}

export type GridModel<R> = {
  name: string;
  table: Table<R>;
  columns: GridColumn<R>[];
  /** the rows as they stand, with the headings of their groups */
  items: Item<R>[];
  /** the ids of the rows in sight, in their order */
  order: string[];
  kept: Kept;
  keep: (part: Partial<Kept>) => void;
  layout: Layout;
  setLayout: (layout: Layout) => void;
  /** the word that a filter is set to; empty for none */
  filter: (id: string) => string;
  setFilter: (id: string, word: string) => void;
  marked: R[];
};

/** useGrid orders, filters and chooses rows; what was chosen is there again when the view is shown again. */
export function useGrid<R>({
  name,
  rows,
  rowId,
  columns,
  filters,
  groups,
}: {
  name: string;
  rows: R[];
  rowId: (row: R) => string;
  columns: GridColumn<R>[];
  filters?: GridFilter<R>[];
  groups?: GridGroup<R>[];
}): GridModel<R> {
  const [kept, setKept] = useKept(shelf, `grid/${name}`, fresh);
  const [layout, change] = useState(() => layoutOf(name));
  const keep = useCallback((part: Partial<Kept>) => setKept({ ...kept, ...part }), [kept, setKept]);
  const setLayout = (next: Layout) => {
    localStorage.setItem(`vestpin-columns-${name}`, JSON.stringify(next));
    change(next);
  };
  const defs = useMemo(
    () => [
      ...columns.map(
        (c): ColumnDef<R> => ({
          id: c.id,
          accessorFn: (row) => c.value?.(row) || undefined,
          enableSorting: Boolean(c.value),
          sortingFn: compare,
          sortUndefined: "last",
        }),
      ),
      ...(filters ?? []).map(
        (f): ColumnDef<R> => ({
          id: `filter ${f.id}`,
          accessorFn: () => "",
          enableSorting: false,
          filterFn: (row, _, word) => f.test(row.original, String(word)),
        }),
      ),
    ],
    [columns, filters],
  );
  const taking =
    <K extends keyof Kept>(part: K, old: Kept[K]) =>
    (updater: Updater<Kept[K]>) =>
      keep({ [part]: functionalUpdate(updater, old) });
  const table = useReactTable<R>({
    data: rows,
    columns: defs,
    getRowId: rowId,
    state: { sorting: kept.sorting, columnFilters: kept.filters, rowSelection: kept.selection },
    onSortingChange: taking("sorting", kept.sorting),
    onColumnFiltersChange: taking("filters", kept.filters),
    onRowSelectionChange: taking("selection", kept.selection),
    getCoreRowModel: getCoreRowModel(),
    getFilteredRowModel: getFilteredRowModel(),
    getSortedRowModel: getSortedRowModel(),
    enableSortingRemoval: true,
    sortDescFirst: false,
    enableMultiSort: false,
    autoResetAll: false,
  });
  const filter = (id: string) => String(kept.filters.find((f) => f.id === `filter ${id}`)?.value ?? "");
  const setFilter = (id: string, word: string) => {
    const others = kept.filters.filter((f) => f.id !== `filter ${id}`);
    keep({ filters: word ? [...others, { id: `filter ${id}`, value: word }] : others });
  };
  const sorted = table.getRowModel().rows;
  const items = useMemo(() => itemsOf(sorted, groups, kept.folded), [sorted, groups, kept.folded]);
  const order = useMemo(() => items.flatMap((i) => ("row" in i ? [i.row.id] : [])), [items]);
  const marked = useMemo(() => rows.filter((r) => kept.selection[rowId(r)]), [rows, kept.selection, rowId]);
  return { name, table, columns, items, order, kept, keep, layout, setLayout, filter, setFilter, marked };
}

/** A stretch of rows under a heading, which can be folded. */
export type GridGroup<R> = {
  id: string;
  title: string;
  tone?: string;
  rows: (row: R) => boolean;
  does?: ReactNode;
  folds?: boolean;
};

export type Item<R> = { group: GridGroup<R>; count: number; open: boolean } | { row: Row<R> };

/** itemsOf puts rows under the headings of their groups; a row is in the first group that has it. */
function itemsOf<R>(rows: Row<R>[], groups: GridGroup<R>[] | undefined, folded: string[]): Item<R>[] {
  if (!groups) return rows.map((row) => ({ row }));
  const left = new Set(rows);
  return groups.flatMap((group) => {
    const mine = [...left].filter((r) => group.rows(r.original));
    for (const r of mine) left.delete(r);
    const open = folded.includes(group.id) === Boolean(group.folds);
    return mine.length === 0
      ? []
      : [{ group, count: mine.length, open }, ...(open ? mine.map((row) => ({ row })) : [])];
  });
}
