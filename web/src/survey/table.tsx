import { chakra } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import type { Device } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Mono, Muted, Tag } from "../parts";
import { useKeys } from "../parts/keys";
import { usePick } from "../parts/pick";
import { useWidth } from "../parts/width";
import { label, networkOf, ownerOf, short } from "../parts/words";
import type { Column, DeviceRow, Order } from "./rows";
import { Sources } from "./sources";

type Heading = { key: Column | "by" | "tag"; title: string; width: string };

const headings: Heading[] = [
  { key: "name", title: "Device", width: "minmax(108px, 1.5fr)" },
  { key: "kind", title: "Kind", width: "minmax(68px, 0.9fr)" },
  { key: "place", title: "Place", width: "minmax(52px, 0.8fr)" },
  { key: "maker", title: "Maker", width: "minmax(64px, 0.9fr)" },
  { key: "seen", title: "Seen at", width: "62px" },
  { key: "mac", title: "MAC", width: "146px" },
  { key: "by", title: "Seen by", width: "76px" },
  { key: "tag", title: "", width: "minmax(96px, 0.9fr)" },
];

/** The widths from which some columns are shown; all of a device is in the inspector. */
const least: Partial<Record<Heading["key"], number>> = { maker: 760, by: 690, place: 620 };

/** fitting are the columns that a table of some width has room for. */
const fitting = (width: number) => headings.filter((h) => width >= (least[h.key] ?? 0));

const rowHeight = 29;

type TableProps = {
  rows: DeviceRow[];
  order: Order | undefined;
  onOrder: (o: Order | undefined) => void;
  marked: Set<string>;
  onMark: (ids: string[], on: boolean) => void;
};

/** DeviceTable lists devices; only the rows in sight are made. */
export function DeviceTable({ rows: list, order, onOrder, marked, onMark }: TableProps) {
  const { site } = useSite();
  const [pick, setPick] = usePick();
  const [frame, width] = useWidth<HTMLDivElement>(800);
  const scroller = useRef<HTMLDivElement>(null);
  const lastMarked = useRef(-1);
  const rows = useVirtualizer({
    count: list.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const picked = ownerOf(pick, site);
  const at = list.findIndex((r) => r.device.id === picked?.id);
  const go = (step: number) => {
    const next = at < 0 ? 0 : Math.max(0, Math.min(list.length - 1, at + step));
    const id = list[next]?.device.id;
    if (id) setPick(`device:${id}`);
    rows.scrollToIndex(next);
  };
  const nameNext = (from: number) => {
    const next = list[from + 1]?.device.id;
    if (!next) return;
    setPick(`device:${next}`);
    rows.scrollToIndex(from + 1);
    requestAnimationFrame(() =>
      requestAnimationFrame(() =>
        scroller.current
          ?.querySelector<HTMLInputElement>(`[data-device="${CSS.escape(next)}"] input[type=text]`)
          ?.focus(),
      ),
    );
  };
  const mark = (index: number, on: boolean, through: boolean) => {
    const from = through && lastMarked.current >= 0 ? lastMarked.current : index;
    lastMarked.current = index;
    onMark(
      list.slice(Math.min(from, index), Math.max(from, index) + 1).map((r) => r.device.id),
      on,
    );
  };
  useKeys({
    ArrowDown: () => go(1),
    ArrowUp: () => go(-1),
    Enter: () => scroller.current?.querySelector<HTMLInputElement>("[aria-selected=true] input[type=text]")?.focus(),
    x: () => at >= 0 && mark(at, !marked.has(list[at]?.device.id ?? ""), false),
  });
  const columns = fitting(width);
  const template = `20px ${columns.map((c) => c.width).join(" ")}`;
  const all = list.length > 0 && list.every((r) => marked.has(r.device.id));
  return (
    <chakra.div
      ref={frame}
      role="table"
      aria-label="Devices"
      aria-rowcount={list.length + 1}
      display="flex"
      flexDirection="column"
      minH="200px"
      flex={1}
    >
      <chakra.div
        role="row"
        display="grid"
        gap="8px"
        px="6px"
        py="4px"
        fontSize="small"
        fontWeight={600}
        color="muted"
        borderBottom="1px solid"
        borderColor="hair"
        style={{ gridTemplateColumns: template }}
      >
        <span role="columnheader">
          <input
            type="checkbox"
            aria-label="Choose all that are shown"
            checked={all}
            onChange={() =>
              onMark(
                list.map((r) => r.device.id),
                !all,
              )
            }
          />
        </span>
        {columns.map((c) => (
          <HeadCell key={c.key} heading={c} order={order} onOrder={onOrder} />
        ))}
      </chakra.div>
      <chakra.div ref={scroller} overflowY="auto" flex={1} minH={0} role="rowgroup" tabIndex={-1}>
        <chakra.div position="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const r = list[item.index];
            return r ? (
              <Line
                key={r.device.id}
                row={r}
                index={item.index}
                top={item.start}
                picked={r.device.id === picked?.id}
                marked={marked.has(r.device.id)}
                columns={columns}
                template={template}
                onPick={() => setPick(`device:${r.device.id}`)}
                onNamed={() => nameNext(item.index)}
                onMark={(on, through) => mark(item.index, on, through)}
              />
            ) : null;
          })}
        </chakra.div>
      </chakra.div>
    </chakra.div>
  );
}

/** HeadCell sorts by its column: up, down, and back to how the site has it. */
function HeadCell({ heading, order, onOrder }: { heading: Heading } & Pick<TableProps, "order" | "onOrder">) {
  const { key, title } = heading;
  if (key === "by" || key === "tag") return <span role="columnheader">{title}</span>;
  const sort = order?.by === key ? (order.down ? "descending" : "ascending") : "none";
  const next = sort === "none" ? { by: key, down: false } : sort === "ascending" ? { by: key, down: true } : undefined;
  return (
    <span role="columnheader" aria-sort={sort}>
      <chakra.button
        type="button"
        onClick={() => onOrder(next)}
        title={`Sort by ${title.toLowerCase()}`}
        whiteSpace="nowrap"
        _hover={{ color: "ink" }}
      >
        {title}
        {sort !== "none" && <span aria-hidden="true">{sort === "ascending" ? " ↑" : " ↓"}</span>}
      </chakra.button>
    </span>
  );
}

type LineProps = {
  row: DeviceRow;
  index: number;
  top: number;
  picked: boolean;
  marked: boolean;
  columns: Heading[];
  template: string;
  onPick: () => void;
  onNamed: () => void;
  onMark: (on: boolean, through: boolean) => void;
};

function Line({ row, index, top, picked, marked, columns, template, onPick, onNamed, onMark }: LineProps) {
  const { site } = useSite();
  const d = row.device;
  const first = d.interfaces[0];
  const network = first && networkOf(site, first.network);
  const cells: Record<Heading["key"], React.ReactNode> = {
    name: <NameInput device={d} guess={row.guess?.kind} onNamed={onNamed} onFocus={onPick} />,
    kind: d.kind || (row.guess && <Muted title={row.guess.reasons.join("; ")}>{row.guess.kind}?</Muted>),
    place: d.place,
    maker: row.maker ? <Muted>{row.maker}</Muted> : row.randomised && <Muted>made up</Muted>,
    seen: (
      <Mono>
        {d.interfaces
          .map((i) => short(i.seen, network))
          .filter(Boolean)
          .join(" ") || "–"}
      </Mono>
    ),
    mac: <Mono fontSize="small">{first?.mac || <Muted>not known</Muted>}</Mono>,
    by: <Sources device={d} />,
    tag: <RowTag row={row} />,
  };
  return (
    <chakra.div
      role="row"
      aria-rowindex={index + 2}
      aria-selected={picked}
      data-device={d.id}
      data-live={row.live}
      onClick={onPick}
      position="absolute"
      insetX={0}
      h="row"
      display="grid"
      gap="8px"
      alignItems="center"
      px="6px"
      borderBottom="1px solid"
      borderColor="hair"
      bg={picked ? "brassSoft" : marked ? "chalkSoft" : row.live === "new" ? "mossSoft" : undefined}
      cursor="default"
      fontSize="text"
      style={{ transform: `translateY(${top}px)`, gridTemplateColumns: template }}
      css={{ "& > *": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" } }}
    >
      <span role="cell">
        <input
          type="checkbox"
          aria-label={`Choose ${label(d)}`}
          checked={marked}
          onClick={(e) => {
            e.stopPropagation();
            onMark(!marked, e.shiftKey);
          }}
          readOnly
        />
      </span>
      {columns.map((c) => (
        <span role="cell" key={c.key} title={title(cells[c.key])}>
          {cells[c.key]}
        </span>
      ))}
    </chakra.div>
  );
}

const said = {
  moved: "moved",
  swapped: "swapped?",
  renamed: "renamed",
  new: "new",
  gone: "gone",
  elsewhere: "elsewhere",
} as const;

/** title is what a cell shows on its own where it is cut off. */
const title = (cell: React.ReactNode) => (typeof cell === "string" ? cell : undefined);

/** The snags that are told in a row in fewer words than their code has. */
const briefly: Record<string, string> = {
  "address-answers-already": "taken",
  "device-set-in-range": "static in range",
  "open-but-loose": "open, loose",
  "mac-randomised": "made-up MAC",
  "router-cannot-reserve-there": "not reservable",
  "address-off-network": "off network",
  "address-unusable": "unusable",
};

/** RowTag is the one thing that is most worth saying of a device. */
function RowTag({ row }: { row: DeviceRow }) {
  const answer = useSite();
  const d = row.device;
  const first = d.interfaces[0];
  const network = first && networkOf(answer.site, first.network);
  const worst = answer.snags.find((s) => s.weight !== "note" && s.about.includes(`device:${d.id}`));
  const off = d.interfaces.find((i) => i.pin && i.seen && i.pin.address !== i.seen);
  const what = row.difference?.what as keyof typeof said | undefined;
  if (row.live === "new") return <Tag tone="moss">new</Tag>;
  if (row.swap) return <Tag>swapped?</Tag>;
  if (worst)
    return (
      <Tag tone={worst.weight === "stops" ? "madder" : "brass"}>
        {briefly[worst.code] ?? worst.code.replaceAll("-", " ")}
      </Tag>
    );
  if (what && what !== "elsewhere") return <Tag tone={what === "new" ? "moss" : "brass"}>{said[what]}</Tag>;
  if (off) return <Tag tone="chalk">not yet at {short(off.pin?.address, network)}</Tag>;
  if (row.needs) return <Tag>needs a pin</Tag>;
  if (d.interfaces.length > 1) return <Muted fontSize="small">{d.interfaces.length} addresses</Muted>;
  if (row.live) return <Muted fontSize="small">answered</Muted>;
  return null;
}

type NameProps = { device: Device; guess?: string; onNamed: () => void; onFocus: () => void };

/** NameInput names a device in its row; Enter goes on to the next one. */
function NameInput({ device, guess, onNamed, onFocus }: NameProps) {
  const edit = useEdit();
  const save = (el: HTMLInputElement) => {
    const name = el.value.trim();
    if (name !== (device.name ?? ""))
      edit.mutate(
        { edits: [{ do: "describe", id: device.id, name }] },
        {
          onError: () => {
            el.value = device.name ?? "";
          },
        },
      );
  };
  return (
    <chakra.input
      key={device.name}
      type="text"
      aria-label={`Name of ${device.name || device.kind || "unnamed device"}`}
      defaultValue={device.name}
      placeholder={device.kind || guess ? `${device.kind || guess}? name it` : "name it"}
      onFocus={onFocus}
      onBlur={(e) => save(e.currentTarget)}
      onKeyDown={(e) => {
        if (e.key === "Enter") {
          save(e.currentTarget);
          onNamed();
        } else if (e.key === "Escape") {
          e.currentTarget.value = device.name ?? "";
          e.currentTarget.blur();
        }
      }}
      fontWeight={700}
      bg="transparent"
      border="1px solid transparent"
      borderRadius="tag"
      w="100%"
      px="3px"
      minH="24px"
      textOverflow="ellipsis"
      _hover={{ borderColor: "hair" }}
      _focus={{ bg: "card", borderColor: "chalk" }}
      _placeholder={{ color: "muted", fontWeight: 400 }}
    />
  );
}
