import { chakra } from "@chakra-ui/react";

export type PinState = "reservation" | "device" | "both" | "loose" | "suggested" | "router";

/** stateOf tells which mark an interface gets. */
export function stateOf(pin: { by: string } | undefined): PinState {
  return pin ? (pin.by as PinState) : "loose";
}

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
  const tone = snag ? "madderFill" : undefined;
  return (
    <chakra.g aria-hidden="true">
      {picked && <chakra.circle r="10" fill="none" stroke="chalk" strokeWidth="2" />}
      {stem > 0 && (
        <chakra.path
          d={`M0 4V${stem}`}
          stroke={tone ?? (state === "reservation" ? "brassMark" : "ink")}
          strokeWidth="2"
        />
      )}
      {state === "reservation" && <chakra.circle r="5" fill={tone ?? "brassMark"} stroke="ink" strokeWidth="0.8" />}
      {state === "device" && <chakra.rect x="-4.5" y="-4.5" width="9" height="9" fill={tone ?? "ink"} />}
      {state === "both" && (
        <>
          <chakra.rect x="-5.5" y="-5.5" width="11" height="11" fill={tone ?? "ink"} />
          <chakra.circle r="3.6" fill="brassMark" />
        </>
      )}
      {state === "loose" && (
        <chakra.circle r="4.5" fill="card" stroke={tone ?? "muted"} strokeWidth="1.4" strokeDasharray="2.2 1.6" />
      )}
      {state === "suggested" && <chakra.circle r="5" fill="card" stroke="brassMark" strokeWidth="1.8" />}
      {state === "router" && <chakra.path d="M0 -5.5L5.5 4.5H-5.5Z" fill="ink" />}
      {snag && <chakra.path d="M-8 -8L8 8M8 -8L-8 8" stroke="madderFill" strokeWidth="1.8" />}
    </chakra.g>
  );
}

/** Legend shows what the marks mean. */
export function Legend({ states }: { states: PinState[] }) {
  return (
    <chakra.ul
      display="flex"
      flexWrap="wrap"
      gap="2px 16px"
      fontSize="small"
      color="muted"
      aria-label="What the marks mean"
    >
      {states.map((s) => (
        <chakra.li key={s} display="flex" alignItems="center" gap="5px">
          <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
            <PinHead state={s} />
          </svg>
          {stateWords[s]}
        </chakra.li>
      ))}
      <chakra.li color="madder">✕ snag</chakra.li>
    </chakra.ul>
  );
}
