import { Box } from "@chakra-ui/react";
import { type KeyboardEvent, memo, type PointerEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Network } from "../api/model";
import { useWidth } from "../parts/width";
import { address, lan, number } from "../parts/words";
import { numberAt, outside, type Run, runHeight, runOf, runs } from "./geometry";
import { Ground, Writing } from "./ground";
import { Arc, Dragged, type Mark, Marks } from "./marks";

export type { Mark };

type Props = {
  network: Network;
  slice: number;
  marks: Mark[];
  picked: string | undefined;
  room?: Map<string, string>;
  onPick: (iface: string) => void;
  onGrab: (iface: string | undefined) => void;
  onDrop: (mark: Mark, address: string) => void;
  onSlice: (slice: number) => void;
  onStep: (way: 1 | -1) => boolean;
  onDigit: (iface: string, digit: string) => void;
};

/** Tape draws 256 addresses of a subnet at most, as a tape measure cut in lengths. */
export function Tape({ network, slice, marks, picked, room, onPick, onGrab, onDrop, onSlice, onStep, onDigit }: Props) {
  const [box, width] = useWidth<HTMLDivElement>(800);
  const svg = useRef<SVGSVGElement>(null);
  const { lo, hi } = lan(network.subnet);
  const first = lo + slice * 256;
  const base = first - (first % 256);
  const all = useMemo(() => runs(first - base, Math.min(hi, first + 255) - base), [first, base, hi]);
  const drag = useDrag(svg, all, width, base, marks, { onPick, onGrab, onDrop });
  const road = useRoad(marks, picked, lo, slice, onSlice);
  const keys = (e: KeyboardEvent) => {
    const way = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
    const mark = road.active;
    if (e.key === "Enter" && mark?.iface && mark.iface !== picked) onPick(mark.iface);
    else if (way && /Left|Right/.test(e.key) && mark?.iface && mark.iface === picked) {
      if (!onStep(way > 0 ? 1 : -1)) return;
    } else if (way) road.go(way);
    else if (e.key === "Home" || e.key === "End") road.end(e.key === "Home");
    else if (/^\d$/.test(e.key) && mark?.iface) {
      if (mark.iface !== picked) onPick(mark.iface);
      onDigit(mark.iface, e.key);
    } else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <Box ref={box} w="100%" flex="none">
      <svg
        ref={svg}
        width={width}
        height={all.length * runHeight + 4}
        role="listbox"
        tabIndex={0}
        aria-label={`The addresses of ${network.subnet}: arrows go from pin to pin, Enter picks`}
        aria-activedescendant={road.shown ? `mark-${road.active?.key}` : undefined}
        onKeyDown={keys}
        onFocus={() => road.show(true)}
        onBlur={() => road.show(false)}
        onPointerDown={drag.down}
        onPointerMove={drag.move}
        onPointerUp={drag.up}
        onPointerCancel={drag.cancel}
        className="picture"
        data-tape
      >
        <Ground network={network} all={all} base={base} width={width} />
        <Arcs all={all} base={base} width={width} marks={marks} />
        <Writing network={network} all={all} base={base} width={width} />
        <Shown
          all={all}
          base={base}
          width={width}
          marks={marks}
          network={network}
          picked={picked}
          active={road.shown ? road.active?.key : undefined}
        />
        {drag.at && <DragLabel drag={drag.at} all={all} width={width} base={base} room={room} />}
      </svg>
    </Box>
  );
}

type ShownProps = {
  all: Run[];
  base: number;
  width: number;
  marks: Mark[];
  network: Network;
  picked: string | undefined;
  active: string | undefined;
};

/** Shown are the marks of the stretch in sight, run by run: a run is drawn anew when something of it changes. */
const Shown = memo(function Shown({ all, base, width, marks, network, picked, active }: ShownProps) {
  const byRun = useMemo(() => {
    const out = new Map<Run, Mark[]>(all.map((r) => [r, []]));
    for (const m of marks) {
      const run = runOf(number(m.at) - base, all);
      if (run) out.get(run)?.push(m);
    }
    return out;
  }, [all, base, marks]);
  return (
    <>
      {[...byRun].map(([run, mine]) => (
        <Marks
          key={run.from}
          run={run}
          base={base}
          width={width}
          marks={mine}
          network={network}
          picked={mine.some((m) => m.iface === picked) ? picked : undefined}
          active={mine.some((m) => m.key === active) ? active : undefined}
        />
      ))}
    </>
  );
});

/** Arcs lead from where devices sit to where they are to go. */
const Arcs = memo(function Arcs({ all, base, width, marks }: Pick<ShownProps, "all" | "base" | "width" | "marks">) {
  return marks
    .filter((m) => m.from && runOf(number(m.at) - base, all))
    .map((m) => (
      <Arc key={m.key} from={number(m.from ?? "") - base} to={number(m.at) - base} all={all} width={width} />
    ));
});

type At = { mark: Mark; to: number; far: boolean; left: boolean };

function DragLabel({
  drag,
  all,
  width,
  base,
  room,
}: {
  drag: At;
  all: Run[];
  width: number;
  base: number;
  room?: Map<string, string>;
}) {
  if (!drag.far) return null;
  const why = room?.get(address(base + drag.to));
  const says = drag.left ? "let go here to leave it" : `.${drag.to} ${why ?? (room ? "is free" : "")}`;
  return (
    <Dragged n={drag.to} all={all} width={width} state={drag.mark.state} says={says} bad={Boolean(why) || drag.left} />
  );
}

type DragEnds = Pick<Props, "onPick" | "onGrab" | "onDrop">;

/**
 * useDrag moves a mark with the pointer, which stays captured until it is let go. Escape stops it, and
 * so does letting go outside the tape.
 */
function useDrag(
  svg: React.RefObject<SVGSVGElement | null>,
  all: Run[],
  width: number,
  base: number,
  marks: Mark[],
  { onPick, onGrab, onDrop }: DragEnds,
) {
  const [at, setAt] = useState<At>();
  const stop = () => {
    setAt(undefined);
    onGrab(undefined);
  };
  const held = at !== undefined;
  // biome-ignore lint/correctness/useExhaustiveDependencies: it listens while something is held
  useEffect(() => {
    if (!held) return;
    const onKey = (e: globalThis.KeyboardEvent) => {
      if (e.key !== "Escape") return;
      e.preventDefault();
      e.stopPropagation();
      stop();
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [held]);
  const down = (e: PointerEvent) => {
    const key = e.target instanceof Element ? e.target.closest<SVGElement>("[data-mark]")?.dataset.mark : undefined;
    const mark = marks.find((m) => m.key === key);
    if (!mark?.iface || e.button !== 0) return;
    svg.current?.setPointerCapture(e.pointerId);
    onGrab(mark.iface);
    setAt({ mark, to: number(mark.at) - base, far: false, left: false });
  };
  /** under is where a held mark is with the pointer at an event: the last move may not be drawn yet. */
  const under = (old: At, e: PointerEvent): At => {
    const r = svg.current?.getBoundingClientRect();
    const [x, y] = [e.clientX - (r?.left ?? 0), e.clientY - (r?.top ?? 0)];
    const to = numberAt(x, y, all, width) ?? old.to;
    const far = old.far || to !== number(old.mark.at) - base;
    return { mark: old.mark, to, left: outside(x, y, all, width), far };
  };
  const move = (e: PointerEvent) => {
    if (!at) return;
    const now = under(at, e);
    if (now.far && (now.to !== at.to || now.left !== at.left)) setAt(now);
  };
  const up = (e: PointerEvent) => {
    if (!at) return;
    const { mark, to, far, left } = under(at, e);
    setAt(undefined);
    if (far && !left && to !== number(mark.at) - base) return onDrop(mark, address(base + to));
    onGrab(undefined);
    if (!far && mark.iface) onPick(mark.iface);
  };
  return { at, down, move, up, cancel: stop };
}

/** useRoad is the way by keyboard from mark to mark, in the order of their addresses. */
function useRoad(marks: Mark[], picked: string | undefined, lo: number, slice: number, onSlice: (n: number) => void) {
  const [key, setKey] = useState<string>();
  const [shown, show] = useState(false);
  const order = useMemo(() => marks.toSorted((a, b) => number(a.at) - number(b.at)), [marks]);
  const sliceOf = (m: Mark) => Math.floor((number(m.at) - lo) / 256);
  const at = Math.max(
    0,
    order.findIndex((m) => (key ? m.key === key : m.iface !== undefined && m.iface === picked)),
  );
  const active = order[at] ?? order.find((m) => sliceOf(m) === slice);
  const to = (m: Mark | undefined) => {
    if (!m) return;
    setKey(m.key);
    if (sliceOf(m) !== slice) onSlice(sliceOf(m));
  };
  return {
    active,
    shown,
    show,
    go: (way: number) => to(order[Math.max(0, Math.min(order.length - 1, at + way))]),
    end: (first: boolean) => to(first ? order[0] : order.at(-1)),
  };
}
