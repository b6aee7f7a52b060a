import { chakra } from "@chakra-ui/react";
import type { Edit, Network, Snag } from "../api/model";
import { PinHead, stateOf } from "../marks/pin";
import { Button, Empty, Mono } from "../parts";
import { ifaceLabel, type Placed, short } from "../parts/words";

export type Suggested = { pin: { address: string; by: string }; why: string; edit: Edit };
export type PinRow = Placed & { suggested?: Suggested; snag?: Snag };

const ways: Record<string, string> = { reservation: "reservation", device: "on the device", both: "both" };

/** PinTable says the same as the tape in rows. */
export function PinTable({
  rows,
  network,
  picked,
  onPick,
  onTake,
}: {
  rows: PinRow[];
  network: Network;
  picked: string | undefined;
  onPick: (id: string) => void;
  onTake: (id: string) => void;
}) {
  if (rows.length === 0) return <Empty title="None of these">Everything of this network is under “Everything”.</Empty>;
  return (
    <chakra.table fontSize="text" aria-label="Addresses">
      <thead>
        <chakra.tr fontSize="small" color="muted" borderBottom="1px solid" borderColor="hair">
          {["Device", "Seen at", "Pinned at", "How", "Worth knowing"].map((h) => (
            <chakra.th key={h} px="6px" py="5px" whiteSpace="nowrap">
              {h}
            </chakra.th>
          ))}
        </chakra.tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <chakra.tr
            key={r.iface.id}
            borderBottom="1px solid"
            borderColor="hair"
            bg={picked === r.iface.id ? "brassSoft" : undefined}
            onClick={() => onPick(r.iface.id)}
            h="row"
            data-row={r.iface.id}
          >
            <chakra.td px="6px" maxW="240px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
              <chakra.button type="button" fontWeight={700} aria-pressed={picked === r.iface.id}>
                {ifaceLabel(r.device, r.iface)}
              </chakra.button>
            </chakra.td>
            <chakra.td px="6px">
              <Mono>{short(r.iface.seen, network) || "–"}</Mono>
            </chakra.td>
            <chakra.td px="6px" whiteSpace="nowrap">
              {r.suggested ? (
                <Mono color="brass">{short(r.suggested.pin.address, network)} suggested</Mono>
              ) : (
                <chakra.span display="inline-flex" alignItems="center" gap="6px">
                  <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
                    <PinHead state={stateOf(r.iface.pin)} />
                  </svg>
                  <Mono>{short(r.iface.pin?.address, network) || "loose"}</Mono>
                </chakra.span>
              )}
            </chakra.td>
            <chakra.td px="6px" whiteSpace="nowrap">
              {ways[r.suggested?.pin.by ?? r.iface.pin?.by ?? ""] ?? ""}
            </chakra.td>
            <chakra.td px="6px" fontSize="small" color={r.snag?.weight === "stops" ? "madder" : "muted"}>
              {r.suggested ? (
                <>
                  {r.suggested.why}{" "}
                  <Button
                    variant="mend"
                    onClick={(e) => {
                      e.stopPropagation();
                      onTake(r.iface.id);
                    }}
                  >
                    Pin at {short(r.suggested.pin.address, network)}
                  </Button>
                </>
              ) : (
                r.snag?.says
              )}
            </chakra.td>
          </chakra.tr>
        ))}
      </tbody>
    </chakra.table>
  );
}
