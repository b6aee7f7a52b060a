import { Input, SimpleGrid } from "@chakra-ui/react";
import { useState } from "react";
import { sayWhy } from "../api/client";
import { useEdit } from "../api/edit";
import { useSite } from "../api/site";
import { Labelled, Select } from "../parts";
import { chosen } from "../parts/choices";
import { FormDialog } from "../parts/dialog";
import { useForm } from "../parts/kept";
import { usePick } from "../parts/pick";
import { ifaceLabel, indexOf, label } from "../parts/words";
import { protocols } from "./service-form";

const opens = [
  ["any", "open it, any port will do"],
  ["same", "open it, same port as on the device"],
  ["in", "keep it in"],
] as const;

const blank = { iface: "", name: "web page", protocol: "tcp", ports: "80", open: "any" };

/** AddService says what a device answers on. */
export function AddService({ onClose }: { onClose: () => void }) {
  const a = useSite();
  const edit = useEdit();
  const [pick, setPick] = usePick();
  const [fault, setFault] = useState<string>();
  const { placed: all } = indexOf(a);
  const mine =
    all.find(
      (p) =>
        pick === `device:${p.device.id}` ||
        pick === `interface:${p.iface.id}` ||
        p.device.services.some((s) => pick === `service:${s.id}`),
    ) ?? all[0];
  const [first] = useState({ ...blank, iface: mine?.iface.id ?? "" });
  const { t, set, kept, end } = useForm("service", first);
  const [busy, setBusy] = useState(false);
  const leave = () => {
    end();
    onClose();
  };
  const add = async () => {
    const p = all.find((x) => x.iface.id === t.iface);
    if (!p) return;
    const open = chosen(opens, t.open);
    const service = {
      id: "", // the program gives it one
      name: t.name.trim(),
      interface: t.iface,
      protocol: chosen(protocols, t.protocol),
      ports: t.ports.trim(),
      ...(open === "in" ? {} : { open: { port: open, from: [] } }),
      canSetTo: [],
    };
    setBusy(true);
    try {
      const { made } = await edit.make({
        of: () => [{ do: "put-service", id: p.device.id, service }],
        title: `add ${label(p.device)} ${t.name}`,
        inForm: true,
      });
      setPick(made[0]);
      leave();
    } catch (error) {
      setFault(sayWhy(error));
      setBusy(false);
    }
  };
  return (
    <FormDialog title="Add a service" kept={kept} onClose={leave} go="Add the service" busy={busy} onGo={add}>
      <Labelled label="Device">
        <Select
          value={t.iface}
          onChange={(e) => set({ iface: e.currentTarget.value })}
          options={all.map((x) => [x.iface.id, ifaceLabel(x.device, x.iface)])}
          data-first
        />
      </Labelled>
      <Labelled label="What it is">
        <Input
          value={t.name}
          onFocus={(e) => e.currentTarget.select()}
          onChange={(e) => set({ name: e.currentTarget.value })}
        />
      </Labelled>
      <SimpleGrid columns={2} gap="12px">
        <Labelled label="Ports on the device" hint="80, a range 16400-16463, a list 5060,5062" error={fault}>
          <Input value={t.ports} onChange={(e) => set({ ports: e.currentTarget.value })} fontFamily="mono" />
        </Labelled>
        <Labelled label="Protocol">
          <Select options={protocols} value={t.protocol} onChange={(e) => set({ protocol: e.currentTarget.value })} />
        </Labelled>
      </SimpleGrid>
      <Labelled label="From outside">
        <Select options={opens} value={t.open} onChange={(e) => set({ open: e.currentTarget.value })} />
      </Labelled>
    </FormDialog>
  );
}
