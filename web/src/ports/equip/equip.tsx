import { Stack, Tabs } from "@chakra-ui/react";
import { useMemo, useState } from "react";
import { useKinds } from "../../api/catalogue";
import type { Device, Kind } from "../../api/model";
import { useSite } from "../../api/site";
import { Labelled, Muted, Select } from "../../parts";
import { Dialog } from "../../parts/dialog";
import { usePick } from "../../parts/pick";
import { label, ownerOf } from "../../parts/words";
import { Listed } from "./listed";
import { Purposes } from "./purposes";

/** Equip says what a device is wanted for, or on what it answers; what that opens is worked out. */
export function Equip({ onClose }: { onClose: () => void }) {
  const { site } = useSite();
  const kinds = useKinds();
  const [pick] = usePick();
  const devices = useMemo(() => site.devices.filter((d) => d.interfaces.length > 0), [site]);
  const [id, setId] = useState(() => (pick ? ownerOf(pick, site)?.id : undefined) ?? devices[0]?.id);
  const [kind, setKind] = useState("");
  const device = devices.find((d) => d.id === id) ?? devices[0];
  if (!device) return null;
  const choose = (next: string) => {
    setId(next);
    setKind("");
  };
  const known = kind ? kinds?.all.find((k) => k.id === kind) : kinds?.of.get(device.id);
  return (
    <Dialog wide title="What is it wanted for?" onClose={onClose}>
      <Stack gap="12px">
        <Stack direction="row" gap="12px">
          <Labelled label="Device">
            <Select
              value={device.id}
              onChange={(e) => choose(e.currentTarget.value)}
              options={devices.map((d): [string, string] => [d.id, label(d)])}
              data-first
            />
          </Labelled>
          <Labelled label="It is a">
            <Select
              value={known?.id ?? ""}
              onChange={(e) => setKind(e.currentTarget.value)}
              options={[
                ...(known ? [] : [["", device.kind || "choose its kind"] as const]),
                ...(kinds?.all ?? []).map((k) => [k.id, k.name] as const),
              ]}
            />
          </Labelled>
        </Stack>
        <Tabs.Root defaultValue="purposes" lazyMount>
          <Tabs.List>
            <Tabs.Trigger value="purposes">By what it is for</Tabs.Trigger>
            <Tabs.Trigger value="listed">By what it answers on</Tabs.Trigger>
          </Tabs.List>
          <Tabs.Content value="purposes">
            {known ? (
              <Purposes
                key={`${device.id} ${known.id}`}
                device={device}
                alike={alikeOf(devices, device, kinds?.of)}
                kind={known}
                onClose={onClose}
                onOther={choose}
              />
            ) : (
              <Muted>
                {kinds ? "Say what kind of device it is; then its purposes are known." : "Fetching the kinds…"}
              </Muted>
            )}
          </Tabs.Content>
          <Tabs.Content value="listed">
            <Listed key={device.id} device={device} onClose={onClose} />
          </Tabs.Content>
        </Tabs.Root>
      </Stack>
    </Dialog>
  );
}

/** alikeOf are the other devices of the same kind. */
const alikeOf = (all: Device[], device: Device, of?: Map<string, Kind>) =>
  all.filter((d) => d.id !== device.id && of?.has(d.id) && of.get(d.id)?.id === of.get(device.id)?.id);
