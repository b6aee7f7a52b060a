import { chakra } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import type { Answer, Device } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Mono, Muted, Tag } from "../parts";
import { useKeys } from "../parts/keys";
import { usePick } from "../parts/pick";
import { networkOf, ownerOf, short } from "../parts/words";
import { Sources } from "./sources";

const columns = "minmax(130px, 1.5fr) minmax(76px, 0.8fr) minmax(64px, 0.8fr) 74px 152px 78px minmax(70px, 0.9fr)";
const rowHeight = 29;

/** DeviceTable lists devices; only the rows in sight are made. */
export function DeviceTable({ devices }: { devices: Device[] }) {
  const site = useSite();
  const [pick, setPick] = usePick();
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: devices.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const picked = ownerOf(pick, site.site);
  const at = devices.findIndex((d) => d.id === picked?.id);
  const go = (step: number) => {
    const next = at < 0 ? 0 : Math.max(0, Math.min(devices.length - 1, at + step));
    setPick(`device:${devices[next]?.id}`);
    rows.scrollToIndex(next);
    return next;
  };
  const nameNext = (from: number) => {
    const next = devices[from + 1];
    if (!next) return;
    setPick(`device:${next.id}`);
    rows.scrollToIndex(from + 1);
    requestAnimationFrame(() =>
      requestAnimationFrame(() =>
        scroller.current?.querySelector<HTMLInputElement>(`[data-device="${CSS.escape(next.id)}"] input`)?.focus(),
      ),
    );
  };
  useKeys({
    ArrowDown: () => go(1),
    ArrowUp: () => go(-1),
    Enter: () => scroller.current?.querySelector<HTMLInputElement>("[aria-selected=true] input")?.focus(),
  });
  return (
    <chakra.div
      role="table"
      aria-label="Devices"
      aria-rowcount={devices.length + 1}
      display="flex"
      flexDirection="column"
      minH="200px"
      flex={1}
    >
      <chakra.div
        role="row"
        display="grid"
        gridTemplateColumns={columns}
        gap="8px"
        px="6px"
        py="5px"
        fontSize="small"
        fontWeight={600}
        color="muted"
        borderBottom="1px solid"
        borderColor="hair"
      >
        {["Device", "Kind", "Place", "Seen at", "MAC", "Seen by", ""].map((h) => (
          <span role="columnheader" key={h}>
            {h}
          </span>
        ))}
      </chakra.div>
      <chakra.div ref={scroller} overflowY="auto" flex={1} minH={0} role="rowgroup" tabIndex={-1}>
        <chakra.div position="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const d = devices[item.index];
            return d ? (
              <Line
                key={d.id}
                device={d}
                index={item.index}
                top={item.start}
                picked={d.id === picked?.id}
                onPick={() => setPick(`device:${d.id}`)}
                onNamed={() => nameNext(item.index)}
                site={site}
              />
            ) : null;
          })}
        </chakra.div>
      </chakra.div>
    </chakra.div>
  );
}

type LineProps = {
  device: Device;
  index: number;
  top: number;
  picked: boolean;
  onPick: () => void;
  onNamed: () => void;
  site: Answer;
};

function Line({ device: d, index, top, picked, onPick, onNamed, site }: LineProps) {
  const first = d.interfaces[0];
  const network = first && networkOf(site.site, first.network);
  const needs = d.interfaces.some((i) => site.needPin.includes(i.id));
  const moved = d.interfaces.find((i) => i.pin && i.seen && i.pin.address !== i.seen);
  const worst = site.snags.find((s) => s.about.includes(`device:${d.id}`) && s.weight !== "note");
  return (
    <chakra.div
      role="row"
      aria-rowindex={index + 2}
      aria-selected={picked}
      data-device={d.id}
      onClick={onPick}
      position="absolute"
      insetX={0}
      h="row"
      display="grid"
      gridTemplateColumns={columns}
      gap="8px"
      alignItems="center"
      px="6px"
      borderBottom="1px solid"
      borderColor="hair"
      bg={picked ? "brassSoft" : undefined}
      cursor="default"
      fontSize="text"
      style={{ transform: `translateY(${top}px)` }}
      css={{ "& > *": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" } }}
    >
      <span role="cell">
        <NameInput device={d} onNamed={onNamed} onFocus={onPick} />
      </span>
      <span role="cell">{d.kind}</span>
      <span role="cell">{d.place}</span>
      <Mono role="cell">
        {d.interfaces
          .map((i) => short(i.seen, network))
          .filter(Boolean)
          .join(" ") || "–"}
      </Mono>
      <Mono role="cell" fontSize="small">
        {first?.mac || <Muted>not known</Muted>}
      </Mono>
      <span role="cell">
        <Sources device={d} />
      </span>
      <span role="cell">
        {worst ? (
          <Tag tone={worst.weight === "stops" ? "madder" : "brass"}>{worst.code.replaceAll("-", " ")}</Tag>
        ) : moved ? (
          <Tag tone="chalk">not yet at {short(moved.pin?.address, network)}</Tag>
        ) : needs ? (
          <Tag>needs a pin</Tag>
        ) : d.interfaces.length > 1 ? (
          <Muted fontSize="small">{d.interfaces.length} addresses</Muted>
        ) : first && site.randomised.includes(first.id) ? (
          <Muted fontSize="small">made-up MAC</Muted>
        ) : null}
      </span>
    </chakra.div>
  );
}

/** NameInput names a device in its row; Enter goes on to the next one. */
function NameInput({ device, onNamed, onFocus }: { device: Device; onNamed: () => void; onFocus: () => void }) {
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
      aria-label={`Name of ${device.name || device.kind || "unnamed device"}`}
      defaultValue={device.name}
      placeholder={device.kind ? `${device.kind}? name it` : "name it"}
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
