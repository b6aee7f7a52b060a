import { Button, Heading, HStack, SimpleGrid, Stack } from "@chakra-ui/react";
import { useEffect, useMemo, useRef } from "react";
import { useKnownKinds } from "../api/catalogue";
import { there, useEdit } from "../api/edit";
import type { Answer, Device, Edit, Interface, Site } from "../api/model";
import { useSite } from "../api/site";
import { chosen } from "../parts/choices";
import { DraftField, DraftSelect } from "../parts/draft";
import { DraftWord } from "../parts/draft-word";
import { usePick } from "../parts/pick";
import { label, networkLabel } from "../parts/words";
import { AnswersOn, Belief, Doubts, Seems, SplitButton } from "./belief";
import { kindsOf, placesOf } from "./words";

const ranks = [
  ["0", "5, as usual"],
  ["1", "1, the most important"],
  ["2", "2"],
  ["3", "3"],
  ["4", "4"],
] as const;

const wants = [
  ["auto", "if opened"],
  ["pin", "yes"],
  ["loose", "no, loose"],
] as const;

const deviceOf = (site: Site, id: string) => site.devices.find((d) => d.id === id);

/** DeviceCard shows all that is known of a device, and why we believe it. */
export function DeviceCard({ device }: { device: Device }) {
  const { site, version } = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  const remove = () => {
    setPick(undefined);
    edit.mutate({ edits: [{ do: "remove-device", id: device.id }], version, says: `${label(device)} is removed.` });
  };
  const addInterface = () => {
    const network = site.networks[0]?.id;
    const name = `interface ${device.interfaces.length + 1}`;
    if (network)
      edit.mutate({
        of: () => [{ do: "put-interface", id: device.id, interface: { id: "", network, name, evidence: [] } }],
      });
  };
  return (
    <Stack gap="14px">
      <Heading size="md" overflowWrap="anywhere">
        {label(device)}
      </Heading>
      <Doubts device={device} />
      <Seems device={device} />
      <Described device={device} />
      {device.interfaces.map((i) => (
        <InterfaceCard key={i.id} device={device} iface={i} />
      ))}
      <AnswersOn device={device} />
      <Belief device={device} />
      <HStack flexWrap="wrap">
        <Button size="xs" onClick={addInterface}>
          Add an interface
        </Button>
        <Button size="xs" data-danger onClick={remove}>
          Remove the device
        </Button>
      </HStack>
    </Stack>
  );
}

/** Described are the words for a device: what it is called, what it is, where it is. */
function Described({ device }: { device: Device }) {
  const { site } = useSite();
  const words = useRef<HTMLDivElement>(null);
  const known = useKnownKinds();
  const kinds = useMemo(() => kindsOf(site, known), [site, known]);
  const places = useMemo(() => placesOf(site), [site]);
  const isNew = !device.name && device.interfaces.every((i) => !i.mac && !i.seen);
  useEffect(() => {
    if (isNew) words.current?.querySelector("input")?.focus();
  }, [isNew]);
  const { id } = device;
  const rank = device.rank ?? 0;
  return (
    <Stack ref={words} gap="8px">
      <DraftField
        name={`name/${id}`}
        label="Name"
        read={(s) => deviceOf(s, id) && (deviceOf(s, id)?.name ?? "")}
        change={(name) => ({ of: () => [{ do: "describe", id, name }] })}
      />
      <SimpleGrid columns={2} gap="8px">
        <DraftWord
          name={`kind/${id}`}
          label="Kind"
          words={kinds}
          read={(s) => deviceOf(s, id) && (deviceOf(s, id)?.kind ?? "")}
          change={(kind) => ({ of: () => [{ do: "describe", id, kind }] })}
        />
        <DraftWord
          name={`place/${id}`}
          label="Place"
          words={places}
          read={(s) => deviceOf(s, id) && (deviceOf(s, id)?.place ?? "")}
          change={(place) => ({ of: () => [{ do: "describe", id, place }] })}
        />
      </SimpleGrid>
      <DraftSelect
        name={`rank/${id}`}
        label="Who comes first where room is short"
        options={rank > 4 ? [...ranks, [String(rank), String(rank)]] : ranks}
        read={(s) => deviceOf(s, id) && String(deviceOf(s, id)?.rank ?? 0)}
        change={(rank) => ({ of: () => [{ do: "describe", id, rank: Number(rank) }] })}
      />
    </Stack>
  );
}

const ifaceOf = (site: Site, id: string) => site.devices.flatMap((d) => d.interfaces).find((i) => i.id === id);

function InterfaceCard({ device, iface }: { device: Device; iface: Interface }) {
  const { site, version } = useSite();
  const edit = useEdit();
  const several = device.interfaces.length > 1;
  const { id } = iface;
  const changed = (fields: Partial<Interface>) => ({
    of: ({ site: now }: Answer): Edit[] => [
      { do: "put-interface", id: device.id, interface: { ...there(ifaceOf(now, id)), ...fields } },
    ],
  });
  const field = (name: "name" | "mac" | "seen", title: string, placeholder?: string) => (
    <DraftField
      name={`${name}/${id}`}
      label={title}
      placeholder={placeholder}
      fontFamily={name === "name" ? undefined : "mono"}
      read={(s) => ifaceOf(s, id) && (ifaceOf(s, id)?.[name] ?? "")}
      change={(text) => changed({ [name]: text })}
    />
  );
  return (
    <Stack gap="8px" borderTop="1px solid" borderColor="hair" pt="10px">
      {several && field("name", "Interface")}
      {field("mac", "MAC address", "not known")}
      <SimpleGrid columns={2} gap="8px">
        {field("seen", "Seen at", "never")}
        <DraftSelect
          name={`wants/${id}`}
          label="Wants a pin"
          options={wants}
          read={(s) => ifaceOf(s, id) && (ifaceOf(s, id)?.wants ?? "auto")}
          change={(text) => ({ of: () => [{ do: "wants", id, wants: chosen(wants, text) }] })}
        />
      </SimpleGrid>
      {site.networks.length > 1 && (
        <DraftSelect
          name={`network/${id}`}
          label="Network"
          options={site.networks.map((n) => [n.id, networkLabel(n)])}
          read={(s) => ifaceOf(s, id)?.network}
          change={(network) => changed({ network })}
        />
      )}
      {several && (
        <HStack gap="14px">
          <SplitButton iface={id} />
          <Button
            variant="plain"
            onClick={() =>
              edit.mutate({ edits: [{ do: "remove-interface", id }], version, says: "The interface is removed." })
            }
          >
            Remove this interface
          </Button>
        </HStack>
      )}
    </Stack>
  );
}
