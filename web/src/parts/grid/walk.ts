import type { KeyboardEvent, RefObject } from "react";
import type { GridColumn, GridModel } from "./model";

/** The narrowest that a column may be, in px, and by how much a key widens it. */
export const narrowest = 40;
const stepWide = 16;

/** widen gives a column another width, which is kept for this browser. */
export function widen<R>(grid: GridModel<R>, id: string, px: number) {
  grid.setLayout({ ...grid.layout, widths: { ...grid.layout.widths, [id]: Math.max(narrowest, Math.round(px)) } });
}

type Walk<R> = {
  grid: GridModel<R>;
  columns: GridColumn<R>[];
  frame: RefObject<HTMLDivElement | null>;
  picked: string | undefined;
  onPick: (row: R) => void;
  /** brings an item into sight, so that it is there to have the focus */
  show: (index: number) => void;
};

/**
 * walkOf moves inside a grid by keys: from row to row, onto the headings of folded groups, and by Left onto
 * the heading of the group that a row is in; by Up from the first row onto the headings of the columns,
 * where Left and Right go along, Enter sorts and Shift with an arrow makes a column wider or narrower.
 */
export function walkOf<R>({ grid, columns, frame, picked, onPick, show }: Walk<R>) {
  const { items } = grid;
  const rows = items.flatMap((i) => ("row" in i ? [i.row] : []));
  const inside = <E extends HTMLElement>(what: string) => frame.current?.querySelector<E>(what) ?? null;
  const heads = () => [...(frame.current?.querySelectorAll<HTMLElement>("[data-head]") ?? [])];
  const scroller = () => inside<HTMLElement>("[role=grid]");
  const onHeading = (index: number) => {
    const item = items[index];
    if (!item || !("group" in item)) return false;
    show(index);
    requestAnimationFrame(() => inside(`[data-rowgroup="${item.group.id}"] button`)?.focus());
    return true;
  };
  const onRow = (index: number) => {
    const item = items[index];
    if (!item || !("row" in item)) return false;
    if (frame.current?.contains(document.activeElement)) scroller()?.focus({ preventScroll: true });
    onPick(item.row.original);
    return true;
  };
  /** The next place up or down from an item: a row, or the heading of a group that is folded. */
  const onwards = (from: number, way: 1 | -1): boolean => {
    for (let i = from + way; i >= 0 && i < items.length; i += way) {
      const item = items[i];
      if (!item) return false;
      if ("row" in item) return onRow(i);
      if (!item.open) return onHeading(i);
    }
    if (way < 0) heads()[0]?.focus();
    return way < 0;
  };
  const here = () => items.findIndex((i) => "row" in i && i.row.id === picked);
  const go = (step: number) => {
    const at = here();
    if (at < 0) return onwards(-1, 1);
    if (step === 1 || step === -1) return onwards(at, step);
    const nth = rows.findIndex((r) => r.id === picked);
    const next = rows[Math.max(0, Math.min(rows.length - 1, nth + step))];
    if (next) onPick(next.original);
    return next !== undefined;
  };
  const up = () => {
    for (let i = here(); i >= 0; i--) if (onHeading(i)) return true;
    return false;
  };
  const inHeads = (e: KeyboardEvent, at: HTMLElement) => {
    const all = heads();
    const nth = all.indexOf(at);
    const column = columns.find((c) => c.id === at.dataset.head);
    if (e.shiftKey && column && (e.key === "ArrowRight" || e.key === "ArrowLeft")) {
      const now = at.closest("[role=columnheader]")?.getBoundingClientRect().width ?? narrowest;
      widen(grid, column.id, now + (e.key === "ArrowRight" ? stepWide : -stepWide));
      return true;
    }
    const to = { ArrowRight: nth + 1, ArrowLeft: nth - 1, Home: 0, End: all.length - 1 }[e.key];
    if (to !== undefined) all[to]?.focus();
    else if (e.key === "ArrowDown") {
      if (here() >= 0) scroller()?.focus({ preventScroll: true });
      else onwards(-1, 1);
    } else return e.key === "ArrowUp";
    return true;
  };
  const inHeading = (e: KeyboardEvent, group: HTMLElement, at: HTMLElement) => {
    const index = items.findIndex((i) => "group" in i && i.group.id === group.dataset.rowgroup);
    const item = items[index];
    if (!item || !("group" in item)) return false;
    const all = [...group.querySelectorAll<HTMLElement>("button")];
    const nth = all.indexOf(at);
    if (e.key === "ArrowDown") return onwards(index, 1);
    if (e.key === "ArrowUp") return onwards(index, -1);
    if (e.key === "ArrowRight" && !item.open) all[0]?.click();
    else if (e.key === "ArrowLeft" && nth === 0 && item.open) all[0]?.click();
    else if (e.key === "ArrowRight") all[nth + 1]?.focus();
    else if (e.key === "ArrowLeft") all[nth - 1]?.focus();
    else return false;
    return true;
  };
  return { go, up, inHeads, inHeading };
}
