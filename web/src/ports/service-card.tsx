import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { sayWhy } from "../api/client";
import type { Edit, Protocol, Router } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Button, Field, FormEnd, Input, Mono, Muted, Row, Select, Stack } from "../parts";
import { Dialog } from "../parts/dialog";
import { usePick } from "../parts/pick";
import { ifaceLabel, label, placed, type Wish } from "../parts/words";

const words = (text: string) => text.split(/[,\s]+/).filter(Boolean);

function ProtocolSelect(props: React.ComponentProps<typeof Select>) {
  return (
    <Select {...props}>
      <option>tcp</option>
      <option>udp</option>
      <option>both</option>
    </Select>
  );
}

type Typed = {
  name: string;
  protocol: Protocol;
  ports: string;
  canSetTo: string;
  open: "in" | "any" | "same" | "exact";
  exact: string;
  prefer: string;
  from: string;
};

/** ServiceCard says what a service is and whether it is opened or kept in. */
export function ServiceCard({
  wish: { device, iface, service },
  router,
  onOpenAt,
}: {
  wish: Wish;
  router: Router;
  onOpenAt: (ports: string) => void;
}) {
  const a = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  const open = service.open;
  const forward = a.site.forwards.find((f) => f.service === service.id && f.router === router.id);
  const { register, handleSubmit, watch, formState } = useForm<Typed>({
    values: {
      name: service.name ?? "",
      protocol: service.protocol as Protocol,
      ports: service.ports,
      canSetTo: service.canSetTo.join(" "),
      open: !open ? "in" : open.port === "any" || open.port === "same" ? open.port : "exact",
      exact: open && open.port !== "any" && open.port !== "same" ? (open.port ?? "") : "",
      prefer: open?.prefer ?? "",
      from: open?.from.join(" ") ?? "",
    },
  });
  const [outside, setOutside] = useState("");
  const how = watch("open");
  const save = handleSubmit((t) => {
    const wishes =
      t.open === "in"
        ? undefined
        : {
            port: t.open === "exact" ? t.exact.trim() : t.open,
            ...(t.open === "any" && t.prefer.trim() ? { prefer: t.prefer.trim() } : {}),
            from: words(t.from),
            ...(open?.router ? { router: open.router } : {}),
          };
    const put = {
      id: service.id,
      name: t.name.trim(),
      interface: service.interface,
      protocol: t.protocol,
      ports: t.ports.trim(),
      ...(wishes ? { open: wishes } : {}),
      canSetTo: t.canSetTo.trim() ? t.canSetTo.trim().split(/\s+/) : [],
    };
    const edits: Edit[] = [{ do: "put-service", id: device.id, service: put }];
    if (!wishes)
      for (const f of a.site.forwards)
        if (f.service === service.id && !f.locked) edits.push({ do: "remove-forward", id: f.id });
    edit.mutate({
      edits,
      title: wishes ? `open ${label(device)} ${t.name}` : `keep ${label(device)} ${t.name} inside`,
      says: wishes ? "The service is to be opened." : "The service stays inside.",
    });
  });
  return (
    <Stack gap="10px">
      <div>
        <chakra.h2 fontSize="head" fontWeight={700} overflowWrap="anywhere">
          {label(device)}, {service.name || "service"}
        </chakra.h2>
        <Mono fontSize="small" color="muted">
          {forward ? `${forward.outside} → ` : ""}
          {iface.pin?.address ?? "loose"}:{service.ports} {service.protocol}
        </Mono>
      </div>
      <chakra.form onSubmit={save}>
        <Stack gap="8px">
          <Field label="Name">{(p) => <Input {...p} {...register("name")} />}</Field>
          <Row alignItems="start" css={{ "& > *": { flex: 1, minWidth: 0 } }}>
            <Field label="Device ports" hint="80, 16400-16463">
              {(p) => <Input {...p} {...register("ports")} fontFamily="mono" />}
            </Field>
            <Field label="Protocol">{(p) => <ProtocolSelect {...p} {...register("protocol")} />}</Field>
          </Row>
          <Field label="From outside">
            {(p) => (
              <Select {...p} {...register("open")}>
                <option value="in">keep it in</option>
                <option value="any">open it, any port will do</option>
                <option value="same">open it, same port as on the device</option>
                <option value="exact">open it at exactly …</option>
              </Select>
            )}
          </Field>
          {how === "exact" && (
            <Field label="Outside port">{(p) => <Input {...p} {...register("exact")} fontFamily="mono" />}</Field>
          )}
          {how === "any" && (
            <Field label="Rather at" hint="Taken where it is free">
              {(p) => <Input {...p} {...register("prefer")} fontFamily="mono" />}
            </Field>
          )}
          {how !== "in" && (
            <Field
              label="Only from"
              hint={
                router.form?.limitsSender === "no"
                  ? "This router cannot limit who connects"
                  : "Addresses or networks; empty for anyone"
              }
            >
              {(p) => <Input {...p} {...register("from")} fontFamily="mono" placeholder="anyone" />}
            </Field>
          )}
          <Field label="Can be set on the device to" hint="Other ports it offers, with blanks between">
            {(p) => <Input {...p} {...register("canSetTo")} fontFamily="mono" />}
          </Field>
          <Row flexWrap="wrap">
            <Button type="submit" variant="lead" size="small" disabled={edit.isPending || !formState.isDirty}>
              {how === "in" ? "Keep it in" : "Save the wish"}
            </Button>
            <Button
              size="small"
              variant="danger"
              onClick={() => {
                setPick(undefined);
                edit.mutate({ edits: [{ do: "remove-service", id: service.id }], says: "The service is removed." });
              }}
            >
              Remove it
            </Button>
          </Row>
        </Stack>
      </chakra.form>
      <chakra.form
        onSubmit={(e) => {
          e.preventDefault();
          onOpenAt(outside.trim() || service.ports);
          setOutside("");
        }}
      >
        <Row alignItems="end">
          <chakra.div flex={1}>
            <Field label={forward ? "Move its thread to outside port" : "Thread it to outside port"}>
              {(p) => (
                <Input
                  {...p}
                  value={outside}
                  onChange={(e) => setOutside(e.target.value)}
                  placeholder={forward?.outside ?? service.ports}
                  fontFamily="mono"
                  data-outside
                />
              )}
            </Field>
          </chakra.div>
          <Button type="submit" disabled={edit.isPending}>
            Open at {outside.trim() || (forward?.outside ?? service.ports)}
          </Button>
        </Row>
      </chakra.form>
      {forward && (
        <Row>
          <Muted fontSize="small">
            Forward <Mono>{forward.outside}</Mono> {forward.locked ? "is locked" : "may be moved by a suggestion"}
          </Muted>
          <Button
            variant="mend"
            onClick={() =>
              edit.mutate({
                edits: [
                  {
                    do: "put-forward",
                    forward: { ...forward, locked: !forward.locked || undefined },
                  },
                ],
              })
            }
          >
            {forward.locked ? "Unlock" : "Lock"}
          </Button>
        </Row>
      )}
    </Stack>
  );
}

/** AddService says what a device answers on. */
export function AddService({ onClose }: { onClose: () => void }) {
  const { site } = useSite();
  const edit = useEdit();
  const [pick, setPick] = usePick();
  const [fault, setFault] = useState<string>();
  const all = placed(site);
  const mine =
    all.find(
      (p) =>
        pick === `device:${p.device.id}` ||
        pick === `interface:${p.iface.id}` ||
        p.device.services.some((s) => pick === `service:${s.id}`),
    ) ?? all[0];
  const { register, handleSubmit } = useForm({
    defaultValues: { iface: mine?.iface.id ?? "", name: "web page", protocol: "tcp", ports: "80", open: "any" },
  });
  const add = handleSubmit(async (t) => {
    const p = all.find((x) => x.iface.id === t.iface);
    if (!p) return;
    const taken = new Set(site.devices.flatMap((d) => d.services.map((s) => s.id)));
    let n = p.device.services.length + 1;
    while (taken.has(`${p.device.id}.s${n}`)) n++;
    const id = `${p.device.id}.s${n}`;
    const service = {
      id,
      name: t.name.trim(),
      interface: t.iface,
      protocol: t.protocol,
      ports: t.ports.trim(),
      ...(t.open === "in" ? {} : { open: { port: t.open, from: [] } }),
      canSetTo: [],
    };
    try {
      await edit.mutateAsync({
        edits: [{ do: "put-service", id: p.device.id, service: service }],
        title: `add ${label(p.device)} ${t.name}`,
      });
      setPick(`service:${id}`);
      onClose();
    } catch (error) {
      setFault(sayWhy(error));
    }
  });
  return (
    <Dialog title="Add a service" onClose={onClose}>
      <form onSubmit={add}>
        <Stack gap="12px">
          <Field label="Device">
            {(p) => (
              <Select {...p} {...register("iface")}>
                {all.map((x) => (
                  <option key={x.iface.id} value={x.iface.id}>
                    {ifaceLabel(x.device, x.iface)}
                  </option>
                ))}
              </Select>
            )}
          </Field>
          <Field label="What it is">{(p) => <Input {...p} {...register("name")} />}</Field>
          <Row alignItems="start" css={{ "& > *": { flex: 1 } }}>
            <Field label="Ports on the device" hint="80, a range 16400-16463, a list 5060,5070" error={fault}>
              {(p) => <Input {...p} {...register("ports")} fontFamily="mono" />}
            </Field>
            <Field label="Protocol">{(p) => <ProtocolSelect {...p} {...register("protocol")} />}</Field>
          </Row>
          <Field label="From outside">
            {(p) => (
              <Select {...p} {...register("open")}>
                <option value="any">open it, any port will do</option>
                <option value="same">open it, same port as on the device</option>
                <option value="in">keep it in</option>
              </Select>
            )}
          </Field>
          <FormEnd leave="Not now" go="Add the service" busy={edit.isPending} onLeave={onClose} />
        </Stack>
      </form>
    </Dialog>
  );
}
