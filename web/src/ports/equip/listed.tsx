import { HStack, Stack, Text, Textarea } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { api, must, sayWhy } from "../../api/client";
import { useEdit } from "../../api/edit";
import type { Device, Edit, ListedPort } from "../../api/model";
import { useSite } from "../../api/site";
import { Labelled, Mono, Muted, Refusal, Select } from "../../parts";
import { chosen } from "../../parts/choices";
import { DialogFooter } from "../../parts/dialog";
import { Shelf, useKept } from "../../parts/kept";
import { usePick } from "../../parts/pick";
import { indexOf, label, plural } from "../../parts/words";

const hows = [
  ["in", "enter it, kept in"],
  ["open", "enter it and open it"],
  ["out", "leave it out"],
] as const;
type How = (typeof hows)[number][0];

const pasted = new Shelf<string>("lists of ports");

/** Listed enters on what a device answers: what the survey found, and what a manual or its own page says. */
export function Listed({ device, onClose }: { device: Device; onClose: () => void }) {
  const a = useSite();
  const edit = useEdit();
  const [busy, setBusy] = useState(false);
  const [, setPick] = usePick();
  const [text, setText] = useKept(pasted, `ports/${device.id}`, "");
  const [iface, setIface] = useState(device.interfaces[0]?.id ?? "");
  const [how, setHow] = useState<Record<string, How>>({});
  const [fault, setFault] = useState<string>();
  const late = useDeferredValue(text);
  const { data, error, isFetching } = useQuery({
    queryKey: ["listed", a.id, a.version, device.id, iface, late],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      must(
        await api.POST("/api/sites/{id}/parse/ports", {
          params: { path: { id: a.id } },
          body: { device: device.id, interface: iface, text: late },
        }),
      ),
  });
  const list = error ? [] : (data?.services ?? []);
  const howOf = (l: ListedPort) => how[keyOf(l)] ?? "in";
  const wanted = list.filter((l) => l.edit && howOf(l) !== "out");
  const take = async () => {
    setBusy(true);
    try {
      await edit.make({
        edits: wanted.flatMap((l) => (l.edit ? [howOf(l) === "open" ? opened(l.edit) : l.edit] : [])),
        version: data?.version ?? 0, // there is none before it is read
        title: `enter ${plural(wanted.length, "service")} of ${label(device)}`,
        says: `${plural(wanted.length, "service is", "services are")} entered.`,
        inForm: true,
      });
      setText(undefined);
      setPick(`device:${device.id}`);
      onClose();
    } catch (e) {
      setFault(sayWhy(e));
    } finally {
      setBusy(false);
    }
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (!busy && wanted.length > 0 && !isFetching) take();
      }}
    >
      <Stack gap="12px">
        <Labelled
          label="Paste what its manual or its own page says"
          hint="TCP 80, 554; UDP 6970-6999, a table, HTTP port: 8081. Nothing is entered before you have seen it"
        >
          <Textarea
            rows={4}
            value={text}
            fontFamily="mono"
            onChange={(e) => setText(e.currentTarget.value || undefined)}
          />
        </Labelled>
        {device.interfaces.length > 1 && (
          <Labelled label="They are on">
            <Select
              value={iface}
              onChange={(e) => setIface(e.currentTarget.value)}
              options={device.interfaces.map((i, n): [string, string] => [i.id, i.name || `interface ${n + 1}`])}
            />
          </Labelled>
        )}
        {error && <Refusal>{sayWhy(error)}</Refusal>}
        {list.length > 0 && (
          <Stack as="ul" gap="6px" listStyleType="none" aria-label="What it answers on" data-listed>
            {list.map((l) => (
              <Row key={keyOf(l)} listed={l} how={howOf(l)} onHow={(h) => setHow({ ...how, [keyOf(l)]: h })} />
            ))}
          </Stack>
        )}
        {data && list.length === 0 && (
          <Muted>
            {text ? "No ports are found in this text." : "The survey found no port of it that is not entered yet."}
          </Muted>
        )}
        {data && data.missed > 0 && (
          <Stack gap="2px" fontSize="small" data-missed>
            <Text fontWeight={700}>{plural(data.missed, "line")} not understood, and left out:</Text>
            {data.unread.slice(0, shown).map((u) => (
              <Text key={u.line} color="muted" overflowWrap="anywhere">
                line {u.line}: <Mono>{u.text}</Mono>
              </Text>
            ))}
            {data.missed > shown && <Muted>and {data.missed - Math.min(shown, data.unread.length)} more</Muted>}
          </Stack>
        )}
        {fault && <Refusal>{fault}</Refusal>}
      </Stack>
      <DialogFooter
        onClose={onClose}
        disabled={busy || wanted.length === 0 || isFetching || error !== null}
        go={wanted.length > 0 ? `Enter ${plural(wanted.length, "service")}` : "Enter them"}
      />
    </form>
  );
}

/** How many lines that were not understood are shown. */
const shown = 5;

const keyOf = (l: ListedPort) => `${l.found ? "found" : l.line} ${l.protocol} ${l.ports}`;

const opened = (edit: Edit): Edit =>
  edit.do === "put-service" ? { ...edit, service: { ...edit.service, open: { port: "any", from: [] } } } : edit;

function Row({ listed: l, how, onHow }: { listed: ListedPort; how: How; onHow: (how: How) => void }) {
  const { services } = indexOf(useSite());
  const name = l.name || l.is || "service";
  const settable = l.edit?.do === "put-service" ? l.edit.service.canSetTo : [];
  const has = l.has ? services.get(l.has)?.service : undefined;
  return (
    <li>
      <HStack gap="10px" flexWrap="wrap">
        <Mono flex="0 0 150px">
          {l.ports} {l.protocol}
        </Mono>
        <Text as="span" flex="1 1 140px" overflowWrap="anywhere">
          {name}
          <Muted fontSize="small">
            {l.is && l.is !== name && ` · ${l.is}`}
            {l.found && " · answered there"}
            {settable.length > 0 && ` · can be set to ${settable.join(", ")}`}
          </Muted>
        </Text>
        {l.has ? (
          <Muted fontSize="small">is there as {has?.name || l.has}</Muted>
        ) : (
          <Select
            aria-label={`What to do with ${name} ${l.ports}`}
            width="auto"
            size="xs"
            value={how}
            options={hows}
            onChange={(e) => onHow(chosen(hows, e.currentTarget.value))}
          />
        )}
      </HStack>
    </li>
  );
}
