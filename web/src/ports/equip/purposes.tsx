import { Button, HStack, Input, List, SimpleGrid, Stack, Text } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useKinds } from "../../api/catalogue";
import { api, must, sayWhy } from "../../api/client";
import { useEdit } from "../../api/edit";
import type { Device, Kind, KindService, Wanted } from "../../api/model";
import { useSite } from "../../api/site";
import { Labelled, Mono, Muted, Refusal, Remark, Select } from "../../parts";
import { Check } from "../../parts/check";
import { DialogFooter } from "../../parts/dialog";
import { usePick } from "../../parts/pick";
import { indexOf, label, plural } from "../../parts/words";

type Props = { device: Device; alike: Device[]; kind: Kind; onClose: () => void; onOther: (device: string) => void };

const nothing: Wanted = { purposes: [], also: [], helping: [], from: [], interface: {}, ports: {} };

const toggled = (list: string[], word: string, on: boolean) =>
  on ? [...list.filter((w) => w !== word), word] : list.filter((w) => w !== word);

/** Purposes are what a device is wanted for, what that opens, and what stays in. */
export function Purposes({ device, alike, kind, onClose, onOther }: Props) {
  const a = useSite();
  const edit = useEdit();
  const [busy, setBusy] = useState(false);
  const [, setPick] = usePick();
  const [w, setW] = useState<Wanted>({ ...nothing, kind: kind.id });
  const [from, setFrom] = useState("");
  const [all, setAll] = useState(false);
  const [fault, setFault] = useState<string>();
  const fromField = useRef<HTMLInputElement>(null);
  const set = (part: Partial<Wanted>) => setW({ ...w, ...part });
  const devices = [device, ...(all ? alike : [])];
  const services = chosenOf(kind, w);
  const body = {
    devices: devices.map((d) => d.id),
    wanted: { ...w, from: from.split(/[,\s]+/).filter(Boolean), interface: devices.length > 1 ? {} : w.interface },
  };
  const equip = async () => must(await api.POST("/api/sites/{id}/equip", { params: { path: { id: a.id } }, body }));
  const { data, error } = useQuery({
    queryKey: ["equip", a.id, a.version, body],
    enabled: services.length > 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => equip(),
  });
  const changes = services.length > 0 ? (data?.changes ?? []) : [];
  const put = changes.filter((c) => c.edit.do === "put-service");
  const take = async () => {
    setBusy(true);
    try {
      const now = await equip(); // of what stands there now: the preview may be a moment behind
      const opened = now.changes.filter((c) => c.edit.do === "put-service").length;
      if (opened === 0) return;
      await edit.make({
        edits: now.changes.map((c) => c.edit),
        version: now.version,
        title: `equip ${devices.length > 1 ? plural(devices.length, kind.name) : label(device)}`,
        says: `${plural(opened, "service is", "services are")} to be opened. Suggest ports, or pull them.`,
        inForm: true,
      });
      setPick(`device:${device.id}`);
      onClose();
    } catch (e) {
      setFault(sayWhy(e));
    } finally {
      setBusy(false);
    }
  };
  const dangers = from.trim() ? [] : services.filter((s) => s.risk === "danger");
  const dropDangers = () => {
    const bad = new Set(dangers.map((s) => s.id));
    return {
      purposes: w.purposes.filter((p) => !kind.purposes.find((x) => x.id === p)?.services.some((s) => bad.has(s))),
      also: w.also.filter((s) => !bad.has(s)),
    };
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (!busy && services.length > 0) take();
      }}
    >
      <Stack gap="12px">
        {alike.length > 0 && (
          <Check checked={all} onChange={setAll}>
            {alike.length === 1
              ? `and the other ${kind.name}`
              : `and the ${alike.length} others of this kind, ${kind.name}`}
          </Check>
        )}
        {kind.purposes.length === 0 && <Muted>Nothing of a {kind.name} needs to be reached from outside.</Muted>}
        <SimpleGrid columns={2} gap="6px" role="group" aria-label="Purposes">
          {kind.purposes.map((p) => (
            <Check
              key={p.id}
              checked={w.purposes.includes(p.id)}
              onChange={(on) => set({ purposes: toggled(w.purposes, p.id, on) })}
              hint={p.services.map((s) => shortOf(kind, s)).join(", ")}
            >
              {p.name}
            </Check>
          ))}
        </SimpleGrid>
        {optionalOf(kind, w).map((s) => (
          <Check
            key={s.id}
            checked={w.also.includes(s.id)}
            onChange={(on) => set({ also: toggled(w.also, s.id, on) })}
            hint={`${s.ports} ${s.protocol}, only where it has one`}
          >
            {s.name}
          </Check>
        ))}
        {services.length > 0 && (
          <>
            <Services kind={kind} services={services} device={device} several={devices.length > 1} w={w} set={set} />
            <Labelled label="Only from" hint="Addresses or networks that may connect; empty for anyone">
              <Input
                ref={fromField}
                value={from}
                placeholder="anyone"
                fontFamily="mono"
                onChange={(e) => setFrom(e.currentTarget.value)}
              />
            </Labelled>
            {dangers.length > 0 && (
              <Danger
                services={dangers}
                device={device}
                onLimit={() => fromField.current?.focus()}
                alone={dangers.length === services.length}
                onDrop={() => set(dropDangers())}
                onOther={onOther}
              />
            )}
            {error ? (
              <Refusal>{sayWhy(error)}</Refusal>
            ) : (
              <Outcome
                changes={changes}
                staysIn={data?.staysIn ?? []}
                count={devices.length}
                done={data !== undefined}
              />
            )}
          </>
        )}
        {fault && <Refusal>{fault}</Refusal>}
      </Stack>
      <DialogFooter
        onClose={onClose}
        disabled={busy || put.length === 0 || error !== null}
        go={put.length > 0 ? `Open ${plural(put.length, "service")}` : "Open them"}
      />
    </form>
  );
}

/** chosenOf are the services of a kind that are asked for, in its order. */
const chosenOf = (kind: Kind, w: Wanted) =>
  kind.services.filter(
    (s) => w.also.includes(s.id) || kind.purposes.some((p) => w.purposes.includes(p.id) && p.services.includes(s.id)),
  );

/** optionalOf are the services that only some devices of a kind have, of the purposes that are asked for. */
const optionalOf = (kind: Kind, w: Wanted) =>
  kind.services.filter((s) => kind.purposes.some((p) => w.purposes.includes(p.id) && p.optional?.includes(s.id)));

const shortOf = (kind: Kind, id: string) => {
  const s = kind.services.find((x) => x.id === id);
  return s ? `${s.ports} ${s.protocol === "both" ? "tcp and udp" : s.protocol}` : id;
};

type ServicesProps = {
  kind: Kind;
  services: KindService[];
  device: Device;
  several: boolean;
  w: Wanted;
  set: (part: Partial<Wanted>) => void;
};

/** Services are what is opened: at which of its ports the device has it, on which interface, by which protocols. */
function Services({ services, device, several, w, set }: ServicesProps) {
  const interfaces = device.interfaces.map((i, n): [string, string] => [i.id, i.name || `interface ${n + 1}`]);
  return (
    <Stack as="ul" gap="8px" listStyleType="none" aria-label="What is opened">
      {services.map((s) => (
        <li key={s.id}>
          <HStack gap="10px" flexWrap="wrap">
            <Text as="span" flex="1 1 160px" fontWeight={700}>
              {s.name}
              {s.open === "same" && <Muted fontSize="small"> · same port outside</Muted>}
              {s.risk === "plain" && <Muted fontSize="small"> · not encrypted</Muted>}
            </Text>
            {s.canSetTo.length > 0 ? (
              <Select
                aria-label={`Port of ${s.name} on the device now`}
                width="auto"
                size="xs"
                value={w.ports?.[s.id] ?? s.ports}
                onChange={(e) => set({ ports: { ...w.ports, [s.id]: e.currentTarget.value } })}
                options={[s.ports, ...s.canSetTo].map((p): [string, string] => [p, `at ${p}`])}
              />
            ) : (
              <Mono>{s.ports}</Mono>
            )}
            <Mono w="34px">{s.protocol}</Mono>
            {interfaces.length > 1 && !several && (
              <Select
                aria-label={`Interface of ${s.name}`}
                width="auto"
                size="xs"
                value={w.interface?.[s.id] ?? ""}
                onChange={(e) => set({ interface: without(w.interface, s.id, e.currentTarget.value) })}
                options={[["", "the usual interface"], ...interfaces]}
              />
            )}
          </HStack>
          {s.helps && (
            <Check
              checked={w.helping.includes(s.id)}
              onChange={(on) => set({ helping: toggled(w.helping, s.id, on) })}
              hint={s.helpsWith}
            >
              {s.helps} as well
            </Check>
          )}
        </li>
      ))}
    </Stack>
  );
}

/** without gives the interfaces by service with one of them chosen, or as usual again. */
function without(all: Record<string, string> | undefined, service: string, chosen: string) {
  const { [service]: _, ...others } = all ?? {};
  return chosen ? { ...others, [service]: chosen } : others;
}

type DangerProps = {
  services: KindService[];
  device: Device;
  /** nothing else is asked for */
  alone: boolean;
  onLimit: () => void;
  onDrop: () => void;
  onOther: (device: string) => void;
};

/** Danger says what would be open to everybody, and the two ways round it. */
function Danger({ services, device, alone, onLimit, onDrop, onOther }: DangerProps) {
  const { site } = useSite();
  const kinds = useKinds();
  const end = site.devices.find((d) => d.id !== device.id && kinds?.of.get(d.id)?.id === "vpn-end");
  return (
    <Remark status="warning" data-danger-remark>
      <Text>
        {services.map((s) => s.name).join(" and ")}: never open to the whole internet. Everybody there would find{" "}
        {services.map((s) => s.what || s.name).join(" and ")}.
      </Text>
      <HStack mt="6px" flexWrap="wrap">
        <Button size="xs" onClick={onLimit}>
          Limit who may connect
        </Button>
        {end && alone ? (
          <Button size="xs" onClick={() => onOther(end.id)}>
            Keep it in, and equip {label(end)} to reach it
          </Button>
        ) : (
          <Button size="xs" onClick={onDrop}>
            Keep it in
          </Button>
        )}
      </HStack>
      {(!end || !alone) && (
        <Text mt="4px" fontSize="small">
          {end
            ? `${label(end)} would reach it safely.`
            : "A VPN end on the site would reach it safely; there is none among the devices yet."}
        </Text>
      )}
    </Remark>
  );
}

type Change = { why: string };

/** Outcome says what is done to the devices, and what stays in. */
function Outcome({
  changes,
  staysIn,
  count,
  done,
}: {
  changes: Change[];
  staysIn: string[];
  count: number;
  done: boolean;
}) {
  const a = useSite();
  const { services } = indexOf(a);
  if (!done) return <Muted>Working it out…</Muted>;
  const says = [...new Set(changes.map((c) => c.why))];
  const names = [...new Set(staysIn.map((id) => services.get(id)?.service.name || "a service"))];
  return (
    <Stack gap="6px" fontSize="small" role="status" data-outcome>
      {says.length === 0 && <Muted>All of this is there and open already.</Muted>}
      <List.Root gap="2px">
        {says.map((why) => (
          <List.Item key={why}>{why}</List.Item>
        ))}
      </List.Root>
      {names.length > 0 && (
        <Muted>
          Stays in{count > 1 ? " on each" : ""}: {names.join(", ")}.
        </Muted>
      )}
    </Stack>
  );
}
