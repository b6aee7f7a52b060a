import { memo } from "react";
import type { By } from "../api/model";
import { fill, stroke } from "../theme/plain";

export type PinState = "reservation" | "device" | "both" | "loose" | "suggested" | "router";

/** stateOf tells which mark an interface gets. */
export const stateOf = (pin: { by: By } | undefined): PinState => pin?.by ?? "loose";

export const stateWords: Record<PinState, string> = {
  reservation: "reserved at the router",
  device: "set on the device",
  both: "reserved and set on the device",
  loose: "loose, by lease",
  suggested: "suggested",
  router: "the router",
};

/** PinHead is the mark of a pin with its centre at 0,0: the shape says how the address is held. */
export function PinHead({
  state,
  snag,
  picked,
  stem = 0,
}: {
  state: PinState;
  snag?: boolean;
  picked?: boolean;
  stem?: number;
}) {
  const paint = (own: "ink" | "brass-mark") => (snag ? "madder-fill" : own);
  return (
    <g aria-hidden="true">
      {picked && <circle r="10" className={`hollow ${stroke("chalk")}`} strokeWidth="2" />}
      {stem > 0 && (
        <path
          d={`M0 4V${stem}`}
          className={stroke(paint(state === "reservation" ? "brass-mark" : "ink"))}
          strokeWidth="2"
        />
      )}
      {state === "reservation" && (
        <circle r="5" className={`${fill(paint("brass-mark"))} ${stroke("ink")}`} strokeWidth="0.8" />
      )}
      {state === "device" && <rect x="-4.5" y="-4.5" width="9" height="9" className={fill(paint("ink"))} />}
      {state === "both" && (
        <>
          <rect x="-5.5" y="-5.5" width="11" height="11" className={fill(paint("ink"))} />
          <circle r="3.6" className={fill("brass-mark")} />
        </>
      )}
      {state === "loose" && (
        <circle
          r="4.5"
          className={`${fill("card")} ${stroke(snag ? "madder-fill" : "muted")}`}
          strokeWidth="1.4"
          strokeDasharray="2.2 1.6"
        />
      )}
      {state === "suggested" && (
        <circle r="5" className={`${fill("card")} ${stroke("brass-mark")}`} strokeWidth="1.8" />
      )}
      {state === "router" && <path d="M0 -5.5L5.5 4.5H-5.5Z" className={fill("ink")} />}
      {snag && <path d="M-8 -8L8 8M8 -8L-8 8" className={stroke("madder-fill")} strokeWidth="1.8" />}
    </g>
  );
}

/** Legend shows what the marks mean. */
export const Legend = memo(function Legend({ states }: { states: PinState[] }) {
  return (
    <ul className="legend" aria-label="What the marks mean">
      {states.map((s) => (
        <li key={s}>
          <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
            <PinHead state={s} />
          </svg>
          {stateWords[s]}
        </li>
      ))}
      <li className="stops">✕ snag</li>
    </ul>
  );
});
