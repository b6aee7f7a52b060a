import { Button, Kbd, Text } from "@chakra-ui/react";
import { memo, useCallback, useMemo, useRef, useState } from "react";
import type { Answer, By, Network } from "../api/model";
import { useRoom, useSite } from "../api/site";
import { Legend, type PinState, stateOf } from "../marks/pin";
import { Empty, Refusal, Remark, Select, ViewHead } from "../parts";
import { useKeys } from "../parts/keys";
import { useLatePick, usePick } from "../parts/pick";
import {
  address,
  ifaceLabel,
  indexOf,
  lan,
  networkLabel,
  networkOf,
  number,
  type Placed,
  plural,
} from "../parts/words";
import { Desk } from "../shell/desk";
import type { Place } from "./asked";
import { typedAddress, useTyping } from "./last-number";
import { type Run, useArrowRun, usePlace } from "./moves";
import { PinCard } from "./pin-card";
import { type PinRow, PinTable } from "./pin-table";
import { type Suggested, type SuggestedPins, useSuggestedPins } from "./suggested";
import { type Mark, Tape } from "./tape";

const states: PinState[] = ["reservation", "device", "both", "loose", "suggested"];

/** AddressesView gives each device that must not move an address of its own. */
export function AddressesView() {
  const a = useSite();
  const [pick] = usePick();
  const [shown, setShown] = useState<string>();
  const home = pickedInterface(a, pick)?.iface.network;
  const network = networkOf(a.site, shown ?? home ?? a.site.networks[0]?.id ?? "");
  if (!network)
    return (
      <Desk>
        <Empty title="No network yet">
          Add one with the + on the line above, or take in a site file that holds one.
        </Empty>
      </Desk>
    );
  return <NetworkTape key={network.id} network={network} onNetwork={setShown} />;
}

function NetworkTape({ network, onNetwork }: { network: Network; onNetwork: (id: string) => void }) {
  const a = useSite();
  const [pick, setPick] = usePick();
  const latePick = useLatePick();
  const [grabbed, setGrabbed] = useState<string>();
  const suggested = useSuggestedPins();
  const [place, asking] = usePlace();
  const picked = pickedInterface(a, pick);
  const held = indexOf(a).interfaces.get(grabbed ?? "") ?? picked;
  const room = useRoom(held?.iface.id, byOf(a, held));
  const arrows = useArrowRun(picked, byOf(a, picked), room, lan(network.subnet));
  const moving = arrows.run && arrows.run.id === picked?.iface.id ? arrows.run.to : undefined;
  const slice = useSlice(network, picked, moving);
  const rows = useMemo(() => rowsOf(a, network, suggested.pins), [a, network, suggested.pins]);
  const marks = useMemo(() => marksOf(a, network, rows, arrows.run), [a, network, rows, arrows.run]);

  const pickId = useCallback((id: string) => setPick(`interface:${id}`), [setPick]);
  const drop = useCallback(
    (mark: Mark, to: string) => {
      const p = mark.iface && indexOf(a).interfaces.get(mark.iface);
      setGrabbed(undefined);
      if (!p) return;
      pickId(p.iface.id);
      place(p, to, byOf(a, p));
    },
    [a, place, pickId],
  );
  // The inspector follows a pick later: digits belong to what is picked, whatever field is shown.
  const typing = useTyping(picked?.iface.id);
  const enter = () => {
    if (arrows.flush()) return true;
    if (!picked) return false;
    const { id } = picked.iface;
    if (typing.text !== undefined) {
      const current = picked.iface.pin?.address ?? suggested.pins.get(id)?.pin.address ?? "";
      const to = typedAddress(current, network.subnet, typing.text);
      if (to) place(picked, to, byOf(a, picked)).then((done) => done && typing.clear());
      return true;
    }
    if (!suggested.pins.has(id)) return false;
    suggested.take(id);
    return true;
  };
  const putBack = () => {
    if (typing.text !== undefined) typing.clear();
    else if (!arrows.cancel()) setPick(undefined);
  };
  useKeys({
    ...(picked
      ? Object.fromEntries([..."0123456789."].map((digit) => [digit, () => typing.add(picked.iface.id, digit)]))
      : {}),
    s: () => suggested.setAsking(true),
    Enter: enter,
    Backspace: () => typing.back(),
    Escape: putBack,
    ArrowRight: () => arrows.step(1),
    ArrowLeft: () => arrows.step(-1),
  });

  return (
    <Desk
      inspector={
        <Inspector pick={latePick} run={arrows.run} pins={suggested.pins} place={place} onTake={suggested.take} />
      }
    >
      <Head network={network} onNetwork={onNetwork} slice={slice} suggested={suggested} />
      <Legend states={states} />
      <Tape
        network={network}
        slice={slice.at}
        marks={marks}
        picked={picked?.iface.id}
        room={room}
        onPick={pickId}
        onGrab={setGrabbed}
        onDrop={drop}
        onSlice={slice.set}
        onStep={arrows.step}
        onDigit={typing.add}
      />
      <Outcome suggested={suggested} />
      <PinTable rows={rows} network={network} picked={picked?.iface.id} onPick={pickId} onTake={suggested.take} />
      {asking}
    </Desk>
  );
}

/** Inspector tells of the pick a moment after the picture shows it. */
const Inspector = memo(function Inspector({
  pick,
  run,
  pins,
  place,
  onTake,
}: {
  pick: string | undefined;
  run: Run | undefined;
  pins: SuggestedPins["pins"];
  place: Place;
  onTake: (id: string) => void;
}) {
  const a = useSite();
  const placed = pickedInterface(a, pick);
  const by = byOf(a, placed);
  const room = useRoom(placed?.iface.id, by);
  if (!placed) return null;
  const { id } = placed.iface;
  return (
    <PinCard
      placed={placed}
      room={room}
      by={by}
      moving={run?.id === id ? run.to : undefined}
      suggested={pins.get(id)}
      place={place}
      onTake={() => onTake(id)}
    />
  );
});

type Slice = { at: number; all: number; set: (at: number) => void };

/** useSlice is the stretch of 256 addresses in sight: that of the picked device until another is chosen. */
function useSlice(network: Network, picked: Placed | undefined, moving: string | undefined): Slice {
  const [chosen, setChosen] = useState<{ at: number; for: string | undefined }>();
  const { lo, hi } = lan(network.subnet);
  const all = Math.ceil((hi - lo + 1) / 256);
  const id = picked?.iface.id;
  const latest = useRef(id);
  latest.current = id;
  const home =
    picked?.iface.network === network.id
      ? number(moving ?? picked.iface.pin?.address ?? picked.iface.seen ?? "0.0.0.0")
      : 0;
  const own = home >= lo && home <= hi ? Math.floor((home - lo) / 256) : 0;
  const at = Math.min(all - 1, chosen && chosen.for === id ? chosen.at : own);
  const set = useCallback((next: number) => setChosen({ at: next, for: latest.current }), []);
  return useMemo(() => ({ at, all, set }), [at, all, set]);
}

const Head = memo(function Head({
  network,
  onNetwork,
  slice,
  suggested,
}: {
  network: Network;
  onNetwork: (id: string) => void;
  slice: Slice;
  suggested: SuggestedPins;
}) {
  const { site } = useSite();
  const { lo } = lan(network.subnet);
  const { pins, plan, asking } = suggested;
  return (
    <ViewHead title="Addresses" hint="Drag a pin, or pick a device and type its last number">
      {site.networks.length > 1 && (
        <Select
          aria-label="Network"
          width="auto"
          value={network.id}
          onChange={(e) => onNetwork(e.currentTarget.value)}
          options={site.networks.map((n) => [n.id, networkLabel(n)])}
        />
      )}
      {slice.all > 1 && (
        <Select
          aria-label="Stretch of the subnet"
          width="auto"
          value={slice.at}
          onChange={(e) => slice.set(Number(e.currentTarget.value))}
          options={Array.from({ length: Math.min(slice.all, 4096) }, (_, i) => [
            String(i),
            `${address(lo + i * 256)} on`,
          ])}
        />
      )}
      {asking && <Button onClick={() => suggested.setAsking(false)}>Cancel</Button>}
      {asking ? (
        <Button variant="solid" onClick={suggested.takeAll} disabled={pins.size === 0}>
          {plan.isFetching
            ? "Working it out…"
            : plan.error
              ? "It failed"
              : pins.size === 0
                ? "Nothing to suggest"
                : `Take ${plural(pins.size, "pin")}`}
        </Button>
      ) : (
        <Button variant="solid" onClick={() => suggested.setAsking(true)}>
          Suggest {suggested.wanted > 0 ? plural(suggested.wanted, "pin") : "pins"} <Kbd>S</Kbd>
        </Button>
      )}
    </ViewHead>
  );
});

/** Outcome says what could not be suggested, and why. */
function Outcome({ suggested: { asking, plan } }: { suggested: SuggestedPins }) {
  if (!asking) return null;
  if (plan.error) return <Refusal>The suggestion failed: {plan.error.message}</Refusal>;
  if (!plan.data || plan.data.unmet.length === 0) return null;
  return (
    <Remark status="warning">
      {plan.data.unmet.slice(0, 12).map((u) => (
        <Text key={u.says}>{u.says}</Text>
      ))}
      {plan.data.unmet.length > 12 && <Text>And {plan.data.unmet.length - 12} more.</Text>}
    </Remark>
  );
}

/** byOf is how an interface is pinned, or would be if nobody says otherwise. */
function byOf(a: Answer, p: Placed | undefined): By {
  return p?.iface.pin?.by ?? a.ways.find((w) => w.interface === p?.iface.id)?.by ?? "reservation";
}

function rowsOf(a: Answer, network: Network, pins: Map<string, Suggested>): PinRow[] {
  const { placed, snags } = indexOf(a);
  const needs = new Set(a.needPin);
  return placed
    .filter((p) => p.iface.network === network.id)
    .map((p) => ({
      ...p,
      suggested: pins.get(p.iface.id),
      snag: snags.get(`interface:${p.iface.id}`)?.find((s) => s.weight !== "note"),
      needs: needs.has(p.iface.id),
    }));
}

/** marksOf are the pins, rings and ghosts of a network, and its router. */
function marksOf(a: Answer, network: Network, rows: PinRow[], run: { id: string; to: string } | undefined): Mark[] {
  const { snags } = indexOf(a);
  const marks = rows.flatMap((p): Mark[] => {
    const moved = run?.id === p.iface.id ? run.to : undefined;
    const where = moved ?? p.iface.pin?.address ?? p.iface.seen;
    const common = { iface: p.iface.id, label: ifaceLabel(p.device, p.iface) };
    const snag = snags.get(`interface:${p.iface.id}`)?.some((s) => s.weight !== "note" && s.family === "addresses");
    const out: Mark[] = where
      ? [
          {
            ...common,
            key: p.iface.id,
            at: where,
            state: moved ? "suggested" : stateOf(p.iface.pin),
            snag: Boolean(snag),
          },
        ]
      : [];
    if (p.suggested)
      out.push({
        ...common,
        key: `${p.iface.id}-suggested`,
        at: p.suggested.pin.address,
        state: "suggested",
        snag: false,
        from: where,
      });
    return out;
  });
  if (network.gateway)
    marks.push({ key: "gateway", at: network.gateway, label: "Router", state: "router", snag: false });
  return marks;
}

/** pickedInterface finds the interface that a pick is about: itself, or the first of the device. */
function pickedInterface(a: Answer, pick: string | undefined): Placed | undefined {
  if (!pick) return undefined;
  const { placed, interfaces } = indexOf(a);
  if (pick.startsWith("interface:")) return interfaces.get(pick.slice("interface:".length));
  return placed.find(
    (p) => pick === `device:${p.device.id}` || p.device.services.some((s) => pick === `service:${s.id}`),
  );
}
