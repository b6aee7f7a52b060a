import { memo } from "react";
import type { Network } from "../api/model";
import { PinHead, type PinState, stateWords } from "../marks/pin";
import { number, short } from "../parts/words";
import { fill, stroke } from "../theme/plain";
import { at, levels, type Run, runOf, xOf } from "./geometry";

/** Mark is one thing on the tape: a pin, a ring, a ghost or the router. */
export type Mark = {
  key: string;
  /** the interface that it stands for; none for the router */
  iface?: string;
  at: string;
  label: string;
  state: PinState;
  snag: boolean;
  /** where a suggested pin comes from */
  from?: string;
};

type MarksProps = {
  run: Run;
  base: number;
  width: number;
  marks: Mark[];
  network: Network;
  picked: string | undefined;
  active: string | undefined;
};

/** Marks are the pins of one run; two at one address stand beside each other. */
export const Marks = memo(function Marks({ run, base, width, marks, network, picked, active }: MarksProps) {
  const crowd = new Map<string, number>();
  const placed = marks.map((m) => {
    const nth = crowd.get(m.at) ?? 0;
    crowd.set(m.at, nth + 1);
    return {
      ...m,
      x: xOf(number(m.at) - base, run, width) + nth * 5,
      lift: nth * 5,
      picked: m.iface !== undefined && m.iface === picked,
    };
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
        const strong = m.picked || m.state === "suggested";
        return (
          <g
            key={m.key}
            id={`mark-${m.key}`}
            transform={`translate(${m.x} ${run.y + at.head - m.lift})`}
            role="option"
            aria-label={spoken(m, network)}
            aria-selected={m.picked}
            aria-disabled={m.iface ? undefined : true}
            data-mark={m.key}
            className={m.iface && "grab"}
          >
            <rect x="-12" y="-12" width="24" height="35" fill="transparent" />
            {active === m.key && (
              <circle r="12" className={`hollow ${stroke("chalk")} at-key`} strokeWidth="2" strokeDasharray="3 2" />
            )}
            <PinHead
              state={m.state}
              snag={m.snag}
              picked={m.picked}
              stem={m.state === "loose" || m.state === "router" ? 0 : at.tape - at.head + m.lift}
            />
            {level !== undefined && (
              <text
                x={level === 0 ? 10 : -4}
                y={level === 0 ? 3 : -13}
                className={`t12 haloed ${strong ? "bold " : ""}${fill(m.snag ? "madder" : m.state === "suggested" ? "brass" : "ink")}`}
              >
                {text(m, network)}
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
});

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

/** Arc leads from where a device sits to where it is to go. */
export function Arc({ from, to, all, width }: { from: number; to: number; all: Run[]; width: number }) {
  const a = runOf(from, all);
  const b = runOf(to, all);
  if (!a || !b) return null;
  const [x1, y1, x2, y2] = [xOf(from, a, width), a.y + at.head, xOf(to, b, width), b.y + at.head];
  return (
    <path
      d={`M${x1} ${y1 - 6}Q${x1} ${(y1 + y2) / 2} ${(x1 + x2) / 2} ${(y1 + y2) / 2}T${x2} ${y2 + 6}`}
      className={`hollow ${stroke("brass-mark")}`}
      strokeWidth="1.6"
      strokeDasharray="4 3"
      opacity="0.75"
      aria-hidden="true"
    />
  );
}

type DraggedProps = { n: number; all: Run[]; width: number; state: PinState; says: string; bad: boolean };

/** Dragged follows the pointer and says whether the address under it is free. */
export function Dragged({ n, all, width, state, says, bad }: DraggedProps) {
  const run = runOf(n, all);
  if (!run) return null;
  const x = xOf(n, run, width);
  const flip = x > width - 190;
  return (
    <g transform={`translate(${x} ${run.y + at.head})`} pointerEvents="none" data-dragged>
      <PinHead state={state === "loose" ? "suggested" : state} picked stem={at.tape - at.head} />
      <text
        x={flip ? -14 : 14}
        textAnchor={flip ? "end" : "start"}
        y="4"
        className={`t13 bold haloed ${fill(bad ? "madder" : "moss")}`}
      >
        {says}
      </text>
    </g>
  );
}
