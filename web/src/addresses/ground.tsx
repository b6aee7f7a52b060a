import { memo } from "react";
import type { Network } from "../api/model";
import { number } from "../parts/words";
import { fill, type Paint, stroke } from "../theme/plain";
import { at, edge, pieces, type Run, stepOf, ticksOf, xOf } from "./geometry";

type GroundProps = { network: Network; all: Run[]; base: number; width: number };

/** Ground is the bare tape with what lies on it and under it: the DHCP range, what is kept free, the bands. */
export const Ground = memo(function Ground({ network, all, base, width }: GroundProps) {
  const within = (s: { from: string; to: string }) => pieces(number(s.from) - base, number(s.to) - base, all);
  return (
    <g aria-hidden="true">
      <defs>
        <pattern id="weave" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0H7M0 0V7" className={stroke("weave")} strokeWidth="1.2" />
        </pattern>
        <pattern id="hatch" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)">
          <path d="M0 0H5" className={stroke("muted")} strokeWidth="1" />
        </pattern>
      </defs>
      {all.map((run) => (
        <g key={run.from}>
          <rect
            x={edge(run.from, run, width)}
            y={run.y + at.tape}
            width={(run.to - run.from + 1) * stepOf(width)}
            height={at.tapeHeight}
            className={`${fill("tape")} ${stroke("edge")}`}
          />
          <path d={ticksOf(run, width)} className={stroke("edge")} />
        </g>
      ))}
      {network.ranges.flatMap((r) =>
        within(r).map((p) => <Cloth key={`${r.from}${p.run.from}`} {...p} width={width} cloth="weave" opacity="0.7" />),
      )}
      {network.keepFree.flatMap((k) =>
        within(k).map((p) => (
          <Cloth key={`${k.from}${p.run.from}`} {...p} width={width} cloth="hatch" opacity="0.55" />
        )),
      )}
      {network.bands.flatMap((b, i) =>
        within(b).map((p) => (
          <rect
            key={`${b.name}${b.from}${p.run.from}`}
            x={edge(p.lo, p.run, width) + 1}
            y={p.run.y + at.band - 1}
            width={(p.hi - p.lo + 1) * stepOf(width) - 2}
            height="4"
            rx="2"
            className={fill(tones[i % tones.length] ?? "chalk")}
          />
        )),
      )}
    </g>
  );
});

/** Writing is what is written on the tape and under it, so that nothing lies over it. */
export const Writing = memo(function Writing({ network, all, base, width }: GroundProps) {
  const within = (a: string) => number(a) - base;
  return (
    <g aria-hidden="true">
      {all.map((run) => (
        <Numbers key={run.from} run={run} width={width} />
      ))}
      {network.ranges.flatMap((r) =>
        pieces(within(r.from), within(r.to), all).map((p) => (
          <RangeEnds
            key={`${r.from}${p.run.from}`}
            {...p}
            width={width}
            end={p.hi === within(r.to)}
            begin={p.lo === within(r.from)}
          />
        )),
      )}
      {[
        ...network.keepFree.map((k) => ({ ...k, name: `kept free${k.why ? `: ${k.why}` : ""}`, least: 60 })),
        ...network.bands.map((b) => ({ ...b, least: 30 })),
      ].flatMap((b) =>
        pieces(within(b.from), within(b.to), all).map((p) => (
          <text
            key={`${b.name}${b.from}${p.run.from}`}
            x={edge(p.lo, p.run, width) + 1}
            y={p.run.y + at.bandLabel + 1}
            className={`t11 haloed ${fill("muted")}`}
          >
            {fitting(b.name, Math.max((p.hi - p.lo + 1) * stepOf(width) + 20, b.least))}
          </text>
        )),
      )}
    </g>
  );
});

/** Numbers are the tens of a run; the first one stands beside the edge, not on it. */
function Numbers({ run, width }: { run: Run; width: number }) {
  const tens = Array.from({ length: run.to - run.from + 1 }, (_, i) => run.from + i).filter((n) => n % 10 === 0);
  return tens.map((n) => (
    <text
      key={n}
      x={n === run.from ? edge(n, run, width) + 4 : xOf(n, run, width)}
      y={run.y + at.tape + 17}
      textAnchor={n === run.from ? "start" : "middle"}
      className={`mono t11 ${fill("brass")}`}
    >
      {n}
    </text>
  ));
}

type PieceProps = { run: Run; lo: number; hi: number; width: number };

type ClothProps = PieceProps & { cloth: "weave" | "hatch"; opacity: string };

/** Cloth lies on a stretch of the tape: woven where the DHCP range is, hatched where it is kept free. */
function Cloth({ run, lo, hi, width, cloth, opacity }: ClothProps) {
  return (
    <rect
      x={edge(lo, run, width)}
      y={run.y + at.tape}
      width={(hi - lo + 1) * stepOf(width)}
      height={at.tapeHeight}
      fill={`url(#${cloth})`}
      opacity={opacity}
    />
  );
}

/** RangeEnds marks where the DHCP range begins and ends. */
function RangeEnds({ run, lo, hi, width, begin, end }: PieceProps & { begin: boolean; end: boolean }) {
  if (!begin && !end) return null;
  const x = edge(lo, run, width);
  const to = x + (hi - lo + 1) * stepOf(width);
  const y = run.y + at.tape - 3;
  const label = begin && end ? `DHCP .${lo} to .${hi}` : begin ? `DHCP from .${lo}` : `DHCP to .${hi}`;
  return (
    <g>
      <path
        d={`${begin ? `M${x} ${y}v${at.tapeHeight + 6}` : ""}${end ? `M${to} ${y}v${at.tapeHeight + 6}` : ""}`}
        className={stroke("chalk")}
        strokeWidth="3"
      />
      <text
        x={begin ? x : to}
        y={run.y + at.bandLabel}
        textAnchor={begin ? "start" : "end"}
        className={`t11 haloed ${fill("chalk")}`}
      >
        {label}
      </text>
    </g>
  );
}

const tones: Paint[] = ["moss-mark", "plum", "brass-mark", "chalk"];

/** fitting cuts a text to what there is room for. */
const fitting = (text: string, room: number) =>
  text.length * 5.6 > room ? `${text.slice(0, Math.max(1, Math.floor(room / 5.6) - 1))}…` : text;
