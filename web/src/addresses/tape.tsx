import { chakra } from "@chakra-ui/react";
import { useRef, useState } from "react";
import type { Network } from "../api/model";
import { PinHead, type PinState, stateWords } from "../marks/pin";
import { useWidth } from "../parts/width";
import { address, lan, number, short } from "../parts/words";
import { at, levels, numberAt, pieces, type Run, runHeight, runOf, runs, stepOf, xOf } from "./geometry";

/** Mark is one thing on the tape: a pin, a ring, a ghost or the router. */
export type Mark = {
  key: string;
  ref?: string;
  at: string;
  label: string;
  state: PinState;
  snag: boolean;
  picked: boolean;
  from?: string;
};

type Props = {
  network: Network;
  slice: number;
  marks: Mark[];
  room?: Map<string, string>;
  onPick: (mark: Mark) => void;
  onGrab: (mark: Mark) => void;
  onDrop: (mark: Mark, address: string) => void;
};

/** Tape draws 256 addresses of a subnet at most, as a tape measure cut in lengths. */
export function Tape({ network, slice, marks, room, onPick, onGrab, onDrop }: Props) {
  const [box, width] = useWidth<HTMLDivElement>(800);
  const svg = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ mark: Mark; to: number; far: boolean }>();
  const { lo, hi } = lan(network.subnet);
  const first = lo + slice * 256;
  const base = first - (first % 256);
  const all = runs(first - base, Math.min(hi, first + 255) - base);
  const height = all.length * runHeight + 4;
  const inSlice = (a: string) => number(a) - base;
  const shown = marks.filter((m) => runOf(inSlice(m.at), all));

  const pointAt = (e: React.PointerEvent) => {
    const r = svg.current?.getBoundingClientRect();
    return r ? numberAt(e.clientX - r.left, e.clientY - r.top, all, width) : undefined;
  };
  const move = (e: React.PointerEvent) => {
    const to = pointAt(e);
    if (drag && to !== undefined && (drag.far || to !== inSlice(drag.mark.at))) setDrag({ ...drag, to, far: true });
  };
  const drop = () => {
    if (drag?.far && drag.to !== inSlice(drag.mark.at)) onDrop(drag.mark, address(base + drag.to));
    else if (drag) onPick(drag.mark);
    setDrag(undefined);
  };

  return (
    <chakra.div ref={box} w="100%">
      <chakra.svg
        ref={svg}
        width={width}
        height={height}
        role="group"
        aria-label={`The addresses of ${network.subnet}`}
        display="block"
        onPointerMove={move}
        onPointerUp={drop}
        onPointerCancel={() => setDrag(undefined)}
        style={{ touchAction: "none", userSelect: "none" }}
        overflow="visible"
        data-tape
      >
        <defs>
          <pattern id="weave" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <chakra.path d="M0 0H7M0 0V7" stroke="weave" strokeWidth="1.2" />
          </pattern>
          <pattern id="hatch" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)">
            <chakra.path d="M0 0H5" stroke="muted" strokeWidth="1" />
          </pattern>
        </defs>
        {all.map((run) => (
          <Length key={run.from} run={run} width={width} />
        ))}
        {network.ranges.flatMap((r) =>
          pieces(inSlice(r.from), inSlice(r.to), all).map((p) => (
            <Woven
              key={`${r.from}${p.run.from}`}
              {...p}
              width={width}
              end={p.hi === inSlice(r.to)}
              begin={p.lo === inSlice(r.from)}
            />
          )),
        )}
        {network.keepFree.flatMap((k) =>
          pieces(inSlice(k.from), inSlice(k.to), all).map((p) => (
            <g key={`${k.from}${p.run.from}`}>
              <rect
                x={edge(p.lo, p.run, width)}
                width={(p.hi - p.lo + 1) * stepOf(width)}
                y={p.run.y + at.tape}
                height={at.tapeHeight}
                fill="url(#hatch)"
                opacity="0.55"
              />
              <chakra.text x={edge(p.lo, p.run, width)} y={p.run.y + at.bandLabel} fontSize="11px" fill="muted">
                kept free{k.why ? `: ${k.why}` : ""}
              </chakra.text>
            </g>
          )),
        )}
        {network.bands.flatMap((b, i) =>
          pieces(inSlice(b.from), inSlice(b.to), all).map((p) => (
            <Band key={`${b.name}${b.from}${p.run.from}`} {...p} width={width} name={b.name} tone={i} />
          )),
        )}
        {shown
          .filter((m) => m.from)
          .map((m) => (
            <Arc key={`arc${m.key}`} from={inSlice(m.from ?? "")} to={inSlice(m.at)} all={all} width={width} />
          ))}
        {all.map((run) => (
          <Marks
            key={run.from}
            run={run}
            width={width}
            marks={shown.filter((m) => runOf(inSlice(m.at), all) === run)}
            place={inSlice}
            network={network}
            onDown={(m) => {
              onGrab(m);
              setDrag({ mark: m, to: inSlice(m.at), far: false });
            }}
            onPick={onPick}
          />
        ))}
        {drag?.far && (
          <Dragged
            n={drag.to}
            all={all}
            width={width}
            state={drag.mark.state}
            says={`.${drag.to} ${room?.get(address(base + drag.to)) ?? (room ? "is free" : "")}`}
            bad={Boolean(room?.get(address(base + drag.to)))}
          />
        )}
      </chakra.svg>
    </chakra.div>
  );
}

const edge = (n: number, run: Run, width: number) => xOf(n, run, width) - stepOf(width) / 2;

/** Length is the bare tape of one run with its numbers. */
function Length({ run, width }: { run: Run; width: number }) {
  const x = edge(run.from, run, width);
  const ticks = Array.from({ length: run.to - run.from + 1 }, (_, i) => run.from + i);
  return (
    <g>
      <chakra.rect
        x={x}
        y={run.y + at.tape}
        width={(run.to - run.from + 1) * stepOf(width)}
        height={at.tapeHeight}
        fill="tape"
        stroke="tapeEdge"
      />
      {ticks.map((n) => (
        <chakra.path
          key={n}
          d={`M${xOf(n, run, width)} ${run.y + at.tape}v${n % 10 === 0 ? 7 : n % 5 === 0 ? 5 : 3}`}
          stroke="tapeEdge"
        />
      ))}
      {ticks
        .filter((n) => n % 10 === 0)
        .map((n) => (
          <chakra.text
            key={n}
            x={xOf(n, run, width)}
            y={run.y + at.tape + 17}
            textAnchor="middle"
            fontSize="11px"
            fontFamily="mono"
            fill="brass"
          >
            {n}
          </chakra.text>
        ))}
    </g>
  );
}

type PieceProps = { run: Run; lo: number; hi: number; width: number };

/** Woven is a part of the DHCP range. */
function Woven({ run, lo, hi, width, begin, end }: PieceProps & { begin: boolean; end: boolean }) {
  const x = edge(lo, run, width);
  const to = x + (hi - lo + 1) * stepOf(width);
  const y = run.y + at.tape;
  return (
    <g>
      <rect x={x} y={y} width={to - x} height={at.tapeHeight} fill="url(#weave)" opacity="0.7" />
      {begin && <chakra.path d={`M${x} ${y - 3}v${at.tapeHeight + 6}`} stroke="chalk" strokeWidth="3" />}
      {end && <chakra.path d={`M${to} ${y - 3}v${at.tapeHeight + 6}`} stroke="chalk" strokeWidth="3" />}
      {(begin || end) && (
        <chakra.text
          x={begin ? x : to}
          y={run.y + at.bandLabel}
          textAnchor={begin ? "start" : "end"}
          fontSize="11px"
          fill="chalk"
          paintOrder="stroke"
          stroke="linen"
          strokeWidth="3"
        >
          {begin ? `DHCP from .${lo}` : `DHCP to .${hi}`}
        </chakra.text>
      )}
    </g>
  );
}

const tones = ["mossMark", "plum", "brassMark", "chalk"];

/** Band lies under the stretch kept for a kind. */
function Band({ run, lo, hi, width, name, tone }: PieceProps & { name: string; tone: number }) {
  const x = edge(lo, run, width);
  const long = (hi - lo + 1) * stepOf(width) - 2;
  return (
    <g>
      <chakra.rect x={x + 1} y={run.y + at.band - 1} width={long} height="4" rx="2" fill={tones[tone % tones.length]} />
      <chakra.text x={x + 1} y={run.y + at.bandLabel + 1} fontSize="11px" fill="muted">
        {name.length * 5.6 > long + 30 ? `${name.slice(0, Math.floor((long + 20) / 5.6))}…` : name}
      </chakra.text>
    </g>
  );
}

/** Arc leads from where a device sits to where it is to go. */
function Arc({ from, to, all, width }: { from: number; to: number; all: Run[]; width: number }) {
  const a = runOf(from, all);
  const b = runOf(to, all);
  if (!a || !b) return null;
  const [x1, y1, x2, y2] = [xOf(from, a, width), a.y + at.head, xOf(to, b, width), b.y + at.head];
  return (
    <chakra.path
      d={`M${x1} ${y1 - 6}Q${x1} ${(y1 + y2) / 2} ${(x1 + x2) / 2} ${(y1 + y2) / 2}T${x2} ${y2 + 6}`}
      fill="none"
      stroke="brassMark"
      strokeWidth="1.6"
      strokeDasharray="4 3"
      aria-hidden="true"
    />
  );
}

type MarksProps = {
  run: Run;
  width: number;
  marks: Mark[];
  place: (a: string) => number;
  network: Network;
  onDown: (m: Mark) => void;
  onPick: (m: Mark) => void;
};

/** Marks are the pins of one run; two at one address stand beside each other. */
function Marks({ run, width, marks, place, network, onDown, onPick }: MarksProps) {
  const crowd = new Map<string, number>();
  const placed = marks.map((m) => {
    const nth = crowd.get(m.at) ?? 0;
    crowd.set(m.at, nth + 1);
    return { ...m, x: xOf(place(m.at), run, width) + nth * 5, lift: nth * 5 };
  });
  const shown = levels(
    placed.map((m) => ({
      key: m.key,
      x: m.x,
      text: text(m, network),
      matters: m.snag || m.state === "suggested",
      must: m.picked,
    })),
    width,
  );
  return (
    <g>
      {placed.map((m) => {
        const level = shown.get(m.key);
        return (
          <chakra.g
            key={m.key}
            transform={`translate(${m.x} ${run.y + at.head - m.lift})`}
            role="button"
            tabIndex={m.ref ? 0 : undefined}
            aria-label={spoken(m, network)}
            aria-pressed={m.picked}
            data-mark={m.key}
            cursor={m.ref ? "grab" : "default"}
            onPointerDown={(e) => {
              if (m.ref && e.button === 0) {
                e.preventDefault();
                onDown(m);
              }
            }}
            onKeyDown={(e) => {
              if (e.key === "Enter" || e.key === " ") {
                e.preventDefault();
                onPick(m);
              }
            }}
          >
            <rect x="-8" y="-9" width="16" height="32" fill="transparent" />
            <PinHead
              state={m.state}
              snag={m.snag}
              picked={m.picked}
              stem={m.state === "loose" || m.state === "router" ? 0 : at.tape - at.head + m.lift}
            />
            {level !== undefined && (
              <chakra.text
                x={level === 0 ? 10 : -4}
                y={level === 0 ? 3 : -13}
                fontSize="12px"
                fontWeight={m.picked || m.state === "suggested" ? 700 : 400}
                fill={m.snag ? "madder" : m.state === "suggested" ? "brass" : "ink"}
                paintOrder="stroke"
                stroke="linen"
                strokeWidth="3"
                strokeLinejoin="round"
              >
                {text(m, network)}
              </chakra.text>
            )}
          </chakra.g>
        );
      })}
    </g>
  );
}

/** spoken is what is read out of a mark: what is shown of it, then all that is known. */
function spoken(m: Mark, network: Network): string {
  const shown = text(m, network);
  const whole = shown.includes(m.label) ? shown : `${shown} ${m.label}`;
  return `${whole}, ${stateWords[m.state]} at ${m.at}${m.snag ? ", with a snag" : ""}`;
}

/** text is the label of a mark, cut where it is long. */
function text(m: Mark, network: Network): string {
  const name = m.label.length > 26 ? `${m.label.slice(0, 24)}…` : m.label;
  return m.state === "suggested" ? `${name} → ${short(m.at, network)}` : name;
}

/** Dragged follows the pointer and says whether the address under it is free. */
function Dragged({
  n,
  all,
  width,
  state,
  says,
  bad,
}: {
  n: number;
  all: Run[];
  width: number;
  state: PinState;
  says: string;
  bad: boolean;
}) {
  const run = runOf(n, all);
  if (!run) return null;
  const x = xOf(n, run, width);
  const flip = x > width - 190;
  return (
    <chakra.g transform={`translate(${x} ${run.y + at.head})`} pointerEvents="none">
      <PinHead state={state === "loose" ? "suggested" : state} picked stem={at.tape - at.head} />
      <chakra.text
        x={flip ? -14 : 14}
        textAnchor={flip ? "end" : "start"}
        y="4"
        fontSize="13px"
        fontWeight={700}
        fill={bad ? "madder" : "moss"}
        paintOrder="stroke"
        stroke="linen"
        strokeWidth="4"
      >
        {says}
      </chakra.text>
    </chakra.g>
  );
}
