import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import type { By, Network } from "../api/model";
import { useEdit, usePlan, useRoom, useSite } from "../api/site";
import { Legend, stateOf } from "../marks/pin";
import { Button, Empty, Filters, Key, Row, Select, ViewHead } from "../parts";
import { useKeys } from "../parts/keys";
import { usePick } from "../parts/pick";
import { address, ifaceLabel, lan, networkOf, number, type Placed, placed, plural } from "../parts/words";
import { Desk } from "../shell/desk";
import { PinCard } from "./pin-card";
import { type PinRow, PinTable } from "./pin-table";
import { type Mark, Tape } from "./tape";

type Show = "needs" | "snags" | "pinned" | "all";

/** AddressesView gives each device that must not move an address of its own. */
export function AddressesView() {
  const { site } = useSite();
  const [pick] = usePick();
  const [shown, setShown] = useState<string>();
  const home = pickedInterface(placed(site), pick)?.iface.network;
  const network = networkOf(site, shown ?? home ?? site.networks[0]?.id ?? "");
  if (!network)
    return (
      <Desk>
        <Empty title="No network yet">The site file holds no network. Take in one that does.</Empty>
      </Desk>
    );
  return <NetworkTape key={network.id} network={network} onNetwork={setShown} />;
}

function NetworkTape({ network, onNetwork }: { network: Network; onNetwork: (id: string) => void }) {
  const a = useSite();
  const { site } = a;
  const edit = useEdit();
  const [pick, setPick] = usePick();
  const [show, setShow] = useState<Show>("all");
  const [suggesting, setSuggesting] = useState(false);
  const [grabbed, setGrabbed] = useState<string>();
  const [shownSlice, setShownSlice] = useState<number>();
  const plan = usePlan("addresses", suggesting);
  const suggestions = new Map(
    (suggesting ? (plan.data?.changes ?? []) : []).flatMap((c) =>
      c.edit.do === "pin" && c.edit.pin ? [[c.edit.id, { pin: c.edit.pin, why: c.why, edit: c.edit }] as const] : [],
    ),
  );

  const all = placed(site);
  const picked = pickedInterface(all, pick);
  const wayOf = (id: string) => (a.ways.find((w) => w.interface === id)?.by ?? "reservation") as By;
  const byOf = (p: Placed | undefined) =>
    p ? ((p.iface.pin?.by as By | undefined) ?? wayOf(p.iface.id)) : "reservation";
  const held = all.find((p) => p.iface.id === grabbed) ?? picked;
  const room = useRoom(held?.iface.id, byOf(held));

  const { lo, hi } = lan(network.subnet);
  const slices = Math.ceil((hi - lo + 1) / 256);
  const home =
    picked && picked.iface.network === network.id ? (picked.iface.pin?.address ?? picked.iface.seen) : undefined;
  const slice = Math.min(
    slices - 1,
    shownSlice ?? (home && number(home) >= lo && number(home) <= hi ? Math.floor((number(home) - lo) / 256) : 0),
  );

  const snagged = new Set(
    a.snags
      .filter((s) => s.weight !== "note" && /^(address|device-set|mac|router-cannot)/.test(s.code))
      .flatMap((s) => s.about),
  );
  const mine = all.filter((p) => p.iface.network === network.id);
  const rows: PinRow[] = mine.map((p) => ({
    ...p,
    suggested: suggestions.get(p.iface.id),
    snag: a.snags.find((s) => s.weight !== "note" && s.about.includes(`interface:${p.iface.id}`)),
  }));
  const marks: Mark[] = mine.flatMap((p) => {
    const where = p.iface.pin?.address ?? p.iface.seen;
    const common = {
      ref: `interface:${p.iface.id}`,
      label: ifaceLabel(p.device, p.iface),
      picked: p.iface.id === picked?.iface.id,
    };
    const out: Mark[] = where
      ? [
          {
            ...common,
            key: p.iface.id,
            at: where,
            state: stateOf(p.iface.pin),
            snag: snagged.has(`interface:${p.iface.id}`),
          },
        ]
      : [];
    const s = suggestions.get(p.iface.id);
    if (s)
      out.push({
        ...common,
        key: `${p.iface.id}-suggested`,
        at: s.pin.address,
        state: "suggested",
        snag: false,
        from: where,
      });
    return out;
  });
  if (network.gateway)
    marks.push({ key: "gateway", at: network.gateway, label: "Router", state: "router", snag: false, picked: false });

  const pin = (p: Placed, to: string, by: By = byOf(p)) =>
    edit.mutate({
      edits: [{ do: "pin", id: p.iface.id, pin: { address: to, by, locked: p.iface.pin?.locked || undefined } }],
      says: `${ifaceLabel(p.device, p.iface)} is pinned at ${to}.`,
    });
  const drop = (m: Mark, to: string) => {
    const p = all.find((x) => `interface:${x.iface.id}` === m.ref);
    setGrabbed(undefined);
    if (p) {
      setPick(m.ref);
      pin(p, to);
    }
  };
  const step = (by: 1 | -1) => {
    const from = picked?.iface.pin?.address ?? picked?.iface.seen;
    if (!picked || !from || !room || edit.isPending) return;
    for (let n = number(from) + by; n > lo && n < hi; n += by)
      if (!room.has(address(n))) return pin(picked, address(n));
  };
  const takeAll = () =>
    edit.mutate(
      {
        edits: [...suggestions.values()].map((s) => s.edit),
        version: plan.data?.version,
        title: `take ${plural(suggestions.size, "suggested pin")}`,
        says: `${plural(suggestions.size, "pin")} taken.`,
      },
      { onSuccess: () => setSuggesting(false) },
    );
  const take = (id: string) => {
    const s = suggestions.get(id);
    if (s) edit.mutate({ edits: [s.edit], version: plan.data?.version, says: `Pinned at ${s.pin.address}.` });
  };
  const filtered: Record<Show, PinRow[]> = {
    needs: rows.filter((r) => a.needPin.includes(r.iface.id) || r.suggested),
    snags: rows.filter((r) => r.snag),
    pinned: rows.filter((r) => r.iface.pin),
    all: [...rows].sort((x, y) => Number(Boolean(y.suggested)) - Number(Boolean(x.suggested))),
  };
  const walk = (by: 1 | -1) => {
    const list = filtered[show];
    const i = list.findIndex((r) => r.iface.id === picked?.iface.id);
    const next = list[i < 0 ? 0 : Math.max(0, Math.min(list.length - 1, i + by))];
    if (next) setPick(`interface:${next.iface.id}`);
  };
  const typeDigit = (_e: KeyboardEvent) => {
    const input = document.querySelector<HTMLInputElement>("[data-last-number]");
    if (!picked || !input) return false;
    input.focus();
    input.select();
    return false; // the digit goes on into the field
  };
  useKeys({
    s: () => setSuggesting(true),
    Enter: () =>
      picked && suggestions.has(picked.iface.id) ? take(picked.iface.id) : suggestions.size > 0 && takeAll(),
    ArrowRight: () => step(1),
    ArrowLeft: () => step(-1),
    ArrowDown: () => walk(1),
    ArrowUp: () => walk(-1),
    ...Object.fromEntries([..."0123456789"].map((d) => [d, typeDigit])),
  });

  return (
    <Desk
      inspector={
        picked && (
          <PinCard
            key={picked.iface.id}
            placed={picked}
            room={room}
            by={byOf(picked)}
            suggested={suggestions.get(picked.iface.id)}
            onPin={(to, by) => pin(picked, to, by)}
            onTake={() => take(picked.iface.id)}
          />
        )
      }
    >
      <ViewHead title="Addresses" hint="Drag a pin, or pick a device and type its last number">
        {site.networks.length > 1 && (
          <Select aria-label="Network" value={network.id} onChange={(e) => onNetwork(e.target.value)} w="auto">
            {site.networks.map((n) => (
              <option key={n.id} value={n.id}>
                {n.name || n.id} {n.subnet}
              </option>
            ))}
          </Select>
        )}
        {slices > 1 && (
          <Select
            aria-label="Stretch of the subnet"
            value={slice}
            onChange={(e) => setShownSlice(Number(e.target.value))}
            w="auto"
          >
            {Array.from({ length: Math.min(slices, 4096) }, (_, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: stretches are their place
              <option key={i} value={i}>
                {address(lo + i * 256)} on
              </option>
            ))}
          </Select>
        )}
        {suggesting ? (
          <Row>
            <Button onClick={() => setSuggesting(false)}>Leave them</Button>
            <Button variant="lead" onClick={takeAll} disabled={suggestions.size === 0 || edit.isPending}>
              {plan.isFetching
                ? "Working it out…"
                : suggestions.size === 0
                  ? "Nothing to suggest"
                  : `Take ${plural(suggestions.size, "pin")}`}{" "}
              <Key>⏎</Key>
            </Button>
          </Row>
        ) : (
          <Button variant="lead" onClick={() => setSuggesting(true)}>
            Suggest {a.needPin.length > 0 ? plural(a.needPin.length, "pin") : "pins"} <Key>S</Key>
          </Button>
        )}
      </ViewHead>
      <Legend states={["reservation", "device", "both", "loose", "suggested"]} />
      <Tape
        network={network}
        slice={slice}
        marks={marks}
        room={room}
        onPick={(m) => setPick(m.ref)}
        onGrab={(m) => setGrabbed(m.ref?.slice("interface:".length))}
        onDrop={drop}
      />
      {suggesting && plan.error && (
        <chakra.p role="alert" color="madder">
          The suggestion failed: {plan.error.message}
        </chakra.p>
      )}
      {suggesting && plan.data && plan.data.unmet.length > 0 && (
        <chakra.ul role="status" bg="brassSoft" borderLeft="4px solid" borderColor="brassMark" p="8px">
          {plan.data.unmet.map((u) => (
            <li key={u.says}>{u.says}</li>
          ))}
        </chakra.ul>
      )}
      <Filters
        value={show}
        onChange={setShow}
        options={[
          { id: "all", label: "Everything", count: rows.length },
          { id: "needs", label: "Needs a pin", count: filtered.needs.length },
          { id: "snags", label: "Snags", count: filtered.snags.length },
          { id: "pinned", label: "Pinned", count: filtered.pinned.length },
        ]}
      />
      <PinTable
        rows={filtered[show]}
        network={network}
        picked={picked?.iface.id}
        onPick={(id) => setPick(`interface:${id}`)}
        onTake={take}
      />
    </Desk>
  );
}

/** pickedInterface finds the interface that a pick is about: itself, or the first of the device. */
function pickedInterface(all: Placed[], pick: string | undefined): Placed | undefined {
  return (
    all.find((p) => pick === `interface:${p.iface.id}`) ??
    all.find((p) => pick === `device:${p.device.id}`) ??
    all.find((p) => p.device.services.some((s) => pick === `service:${s.id}`))
  );
}
