import { chakra } from "@chakra-ui/react";
import { useEffect, useRef } from "react";
import type { Device, Interface, Wants } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Button, Field, Input, Row, Select, Stack } from "../parts";
import { usePick } from "../parts/pick";
import { label } from "../parts/words";
import { AnswersOn, Belief, Doubts, Seems, SplitButton } from "./belief";

/** Kept saves a text when it is left or Enter is pressed, and puts it back on Escape. */
function Kept({ value, onKeep, ...rest }: { value: string; onKeep: (v: string) => void } & Record<string, unknown>) {
  return (
    <Input
      {...rest}
      key={value}
      defaultValue={value}
      onBlur={(e: React.FocusEvent<HTMLInputElement>) =>
        e.currentTarget.value.trim() !== value && onKeep(e.currentTarget.value.trim())
      }
      onKeyDown={(e: React.KeyboardEvent<HTMLInputElement>) => {
        if (e.key === "Escape") e.currentTarget.value = value;
        if (e.key === "Escape" || e.key === "Enter") e.currentTarget.blur();
      }}
    />
  );
}

/** DeviceCard shows all that is known of a device, and why we believe it. */
export function DeviceCard({ device }: { device: Device }) {
  const { site } = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  const name = useRef<HTMLDivElement>(null);
  const isNew = !device.name && device.interfaces.every((i) => !i.mac && !i.seen);
  useEffect(() => {
    if (isNew) name.current?.querySelector("input")?.focus();
  }, [isNew]);
  const describe = (fields: { name?: string; kind?: string; place?: string; rank?: number }) =>
    edit.mutate({ edits: [{ do: "describe", id: device.id, ...fields }] });
  const remove = () => {
    setPick(undefined);
    edit.mutate({ edits: [{ do: "remove-device", id: device.id }], says: `${label(device)} is removed.` });
  };
  const addInterface = () => {
    const network = site.networks[0]?.id;
    let n = device.interfaces.length;
    while (device.interfaces.some((i) => i.id === `${device.id}.${n}`)) n++;
    if (network)
      edit.mutate({
        edits: [
          {
            do: "put-interface",
            id: device.id,
            interface: { id: `${device.id}.${n}`, network, name: `interface ${n + 1}`, evidence: [] },
          },
        ],
      });
  };
  return (
    <Stack gap="14px">
      <chakra.h2 fontSize="head" fontWeight={700} overflowWrap="anywhere">
        {label(device)}
      </chakra.h2>
      <Doubts device={device} />
      <Seems device={device} />
      <Stack ref={name} gap="8px">
        <Field label="Name">
          {(p) => <Kept {...p} value={device.name ?? ""} onKeep={(v) => describe({ name: v })} />}
        </Field>
        <Row gap="8px" alignItems="start" css={{ "& > *": { flex: 1, minWidth: 0 } }}>
          <Field label="Kind">
            {(p) => <Kept {...p} list="kinds" value={device.kind ?? ""} onKeep={(v) => describe({ kind: v })} />}
          </Field>
          <Field label="Place">
            {(p) => <Kept {...p} list="places" value={device.place ?? ""} onKeep={(v) => describe({ place: v })} />}
          </Field>
        </Row>
        <Field label="Who comes first where room is short">
          {(p) => (
            <Select {...p} value={device.rank ?? 0} onChange={(e) => describe({ rank: Number(e.target.value) })}>
              <option value={1}>1, the most important</option>
              <option value={2}>2</option>
              <option value={3}>3</option>
              <option value={4}>4</option>
              <option value={0}>5, as usual</option>
              {(device.rank ?? 0) > 5 && <option value={device.rank}>{device.rank}</option>}
            </Select>
          )}
        </Field>
      </Stack>
      {device.interfaces.map((i) => (
        <InterfaceCard key={i.id} device={device} iface={i} />
      ))}
      <AnswersOn device={device} />
      <Belief device={device} />
      <Row flexWrap="wrap">
        <Button size="small" onClick={addInterface}>
          Add an interface
        </Button>
        <Button size="small" variant="danger" onClick={remove}>
          Remove the device
        </Button>
      </Row>
    </Stack>
  );
}

function InterfaceCard({ device, iface }: { device: Device; iface: Interface }) {
  const { site } = useSite();
  const edit = useEdit();
  const change = (fields: Partial<Interface>) =>
    edit.mutate({ edits: [{ do: "put-interface", id: device.id, interface: { ...iface, ...fields } }] });
  const several = device.interfaces.length > 1;
  return (
    <Stack gap="8px" borderTop="1px solid" borderColor="hair" pt="10px">
      {several && (
        <Field label="Interface">
          {(p) => <Kept {...p} value={iface.name ?? ""} onKeep={(v) => change({ name: v })} />}
        </Field>
      )}
      <Field label="MAC address">
        {(p) => (
          <Kept
            {...p}
            fontFamily="mono"
            placeholder="not known"
            value={iface.mac ?? ""}
            onKeep={(v) => change({ mac: v })}
          />
        )}
      </Field>
      <Row gap="8px" alignItems="start" css={{ "& > *": { flex: 1, minWidth: 0 } }}>
        <Field label="Seen at">
          {(p) => (
            <Kept
              {...p}
              fontFamily="mono"
              placeholder="never"
              value={iface.seen ?? ""}
              onKeep={(v) => change({ seen: v })}
            />
          )}
        </Field>
        <Field label="Wants a pin">
          {(p) => (
            <Select
              {...p}
              value={iface.wants ?? "auto"}
              onChange={(e) => edit.mutate({ edits: [{ do: "wants", id: iface.id, wants: e.target.value as Wants }] })}
            >
              <option value="auto">if opened</option>
              <option value="pin">yes</option>
              <option value="loose">no, loose</option>
            </Select>
          )}
        </Field>
      </Row>
      {site.networks.length > 1 && (
        <Field label="Network">
          {(p) => (
            <Select {...p} value={iface.network} onChange={(e) => change({ network: e.target.value })}>
              {site.networks.map((n) => (
                <option key={n.id} value={n.id}>
                  {n.name || n.id} {n.subnet}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      {several && (
        <Row gap="14px">
          <SplitButton iface={iface.id} />
          <Button
            variant="mend"
            onClick={() =>
              edit.mutate({ edits: [{ do: "remove-interface", id: iface.id }], says: "The interface is removed." })
            }
          >
            Remove this interface
          </Button>
        </Row>
      )}
    </Stack>
  );
}
