import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import type { By } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Button, Input, Mono, Muted, Row, Section, Stack, Tag } from "../parts";
import { copy } from "../parts/copy";
import { ifaceLabel, lan, networkOf, type Placed, address as write } from "../parts/words";
import { AskFree } from "./ask-free";
import type { Suggested } from "./pin-table";

const ways: { by: By; text: string }[] = [
  { by: "reservation", text: "reserve" },
  { by: "device", text: "on device" },
  { by: "both", text: "both" },
];

type Props = {
  placed: Placed;
  room?: Map<string, string>;
  by: By;
  suggested?: Suggested;
  onPin: (address: string, by: By) => void;
  onTake: () => void;
};

/** PinCard pins the picked device: its last number, the way, and what to type on the device. */
export function PinCard({ placed: { device, iface }, room, by, suggested, onPin, onTake }: Props) {
  const { site } = useSite();
  const edit = useEdit();
  const network = networkOf(site, iface.network);
  const pin = iface.pin;
  const current = pin?.address ?? suggested?.pin.address ?? "";
  const { head, tail } = cut(current, network?.subnet ?? "0.0.0.0/24");
  const [typed, setTyped] = useState<string>();
  const address = typed === undefined ? current : join(head, typed, tail);
  const why = address ? room?.get(address) : undefined;
  const own = pin?.address === address;
  const commit = () => {
    if (typed !== undefined && address && !own) onPin(address, by);
    setTyped(undefined);
  };
  const cards = pin && network ? settings(pin.address, network) : [];
  const loosen = () =>
    edit.mutate({ edits: [{ do: "pin", id: iface.id }], says: `${ifaceLabel(device, iface)} is loose.` });
  const bad = typed !== undefined && !address;
  return (
    <Stack gap="12px">
      <chakra.div>
        <chakra.h2 fontSize="head" fontWeight={700} overflowWrap="anywhere">
          {ifaceLabel(device, iface)}
        </chakra.h2>
        <Muted fontSize="small">
          {[device.kind, device.place].filter(Boolean).join(" · ")} {iface.mac && <Mono>{iface.mac}</Mono>}
        </Muted>
      </chakra.div>
      <Row flexWrap="wrap" gap="6px">
        <Mono fontSize="digits" color="muted">
          {head}
        </Mono>
        <Input
          data-last-number
          aria-label="The last number of its address"
          aria-invalid={bad}
          inputMode="decimal"
          value={typed ?? tail}
          onChange={(e) => setTyped(e.target.value)}
          onBlur={commit}
          onFocus={(e) => e.currentTarget.select()}
          onKeyDown={(e) => {
            if (e.key === "Enter") e.currentTarget.blur();
            if (e.key === "Escape") {
              e.stopPropagation();
              setTyped(undefined);
              e.currentTarget.blur();
            }
          }}
          w={tail.includes(".") || head.endsWith(".") === false ? "110px" : "72px"}
          fontFamily="mono"
          fontSize="digits"
          px="6px"
          py="0"
          borderBottom="2px solid"
          borderBottomColor="chalk"
        />
        {bad ? (
          <Tag tone="madder">a number from 0 to 255</Tag>
        ) : why && !own ? (
          <Tag tone="madder">not free</Tag>
        ) : address && room && !own ? (
          <Tag tone="moss">free</Tag>
        ) : null}
      </Row>
      {why && (
        <chakra.p fontSize="small" color="madder">
          {address} is {why}.
        </chakra.p>
      )}
      {address && <AskFree key={address} address={address} mac={iface.mac} />}
      <Row
        role="group"
        aria-label="How it is pinned"
        gap={0}
        border="1px solid"
        borderColor="hair"
        borderRadius="field"
        overflow="hidden"
      >
        {ways.map((w) => (
          <chakra.button
            key={w.by}
            type="button"
            flex="1 1 auto"
            whiteSpace="nowrap"
            px="6px"
            minH="30px"
            fontSize="small"
            textAlign="center"
            aria-pressed={pin?.by === w.by}
            bg={(pin?.by ?? by) === w.by ? "chalkSoft" : undefined}
            fontWeight={pin?.by === w.by ? 700 : 400}
            disabled={!current}
            onClick={() => onPin(current, w.by)}
          >
            {w.text}
          </chakra.button>
        ))}
      </Row>
      {suggested && (
        <chakra.div bg="brassSoft" borderRadius="field" px="10px" py="7px" fontSize="small">
          <p>
            <b>Why {suggested.pin.address}:</b> {suggested.why}
          </p>
          <Button variant="mend" onClick={onTake}>
            Pin at {suggested.pin.address}
          </Button>
        </chakra.div>
      )}
      {pin ? (
        <>
          <Row fontSize="small">
            <chakra.label display="flex" gap="6px" alignItems="center">
              <input
                type="checkbox"
                checked={pin.locked ?? false}
                onChange={(e) =>
                  edit.mutate({
                    edits: [{ do: "pin", id: iface.id, pin: { ...pin, locked: e.target.checked || undefined } }],
                  })
                }
              />
              lock: no suggestion moves it
            </chakra.label>
            <chakra.span flex={1} />
            <Button variant="mend" onClick={loosen}>
              Make it loose
            </Button>
          </Row>
          <Section title={pin.by === "reservation" ? "To set it on the device instead" : "To set on the device"}>
            <Settings rows={cards} />
          </Section>
        </>
      ) : (
        <Muted fontSize="small">
          Loose: {iface.seen ? `seen at ${iface.seen}, and` : "never seen;"} its address can change. Type a last number
          to pin it, or drag its ring.
        </Muted>
      )}
    </Stack>
  );
}

/** Settings are the values to type on a device; each is copied by a press. */
function Settings({ rows }: { rows: [string, string][] }) {
  const [copied, setCopied] = useState<string>();
  return (
    <chakra.dl fontSize="small">
      {rows.map(([name, value]) => (
        <chakra.div
          key={name}
          display="grid"
          gridTemplateColumns="84px 1fr"
          borderBottom="1px solid"
          borderColor="hair"
          alignItems="center"
        >
          <chakra.dt color="muted">{name}</chakra.dt>
          <dd>
            <chakra.button
              type="button"
              fontFamily="mono"
              minH="28px"
              w="100%"
              onClick={async () => (await copy(value)) && setCopied(name)}
              title="Copy"
              display="flex"
              justifyContent="space-between"
              alignItems="center"
            >
              {value}{" "}
              <chakra.span fontFamily="body" fontSize="label" color={copied === name ? "moss" : "muted"}>
                {copied === name ? "copied" : "copy"}
              </chakra.span>
            </chakra.button>
          </dd>
        </chakra.div>
      ))}
    </chakra.dl>
  );
}

function settings(address: string, network: { subnet: string; gateway?: string; dns: string[] }): [string, string][] {
  const bits = lan(network.subnet).bits;
  const rows: [string, string][] = [
    ["Address", address],
    ["Mask", write(2 ** 32 - 2 ** (32 - bits))],
  ];
  if (network.gateway) rows.push(["Gateway", network.gateway]);
  network.dns.forEach((d, i) => {
    rows.push([i ? `DNS ${i + 1}` : "DNS", d]);
  });
  return rows;
}

/** cut splits an address into what the subnet fixes and what is typed. */
function cut(address: string, subnet: string): { head: string; tail: string } {
  const fixed = lan(subnet).bits >= 24 ? 3 : lan(subnet).bits >= 16 ? 2 : 1;
  const whole = (address || subnet.split("/")[0] || "").split(".");
  return { head: `${whole.slice(0, fixed).join(".")}.`, tail: address ? whole.slice(fixed).join(".") : "" };
}

/** join makes an address of its fixed part and a typed end; undefined where it is none. */
function join(head: string, typed: string, like: string): string | undefined {
  const parts = (head + typed.trim().replace(/^\./, "")).split(".");
  const fits = parts.length === 4 && parts.every((p) => /^\d{1,3}$/.test(p) && Number(p) <= 255);
  if (fits) return parts.map(Number).join(".");
  const kept = like.split(".");
  const mended = [...head.split(".").filter(Boolean), ...kept.slice(0, -1), typed.trim()];
  return mended.length === 4 && /^\d{1,3}$/.test(typed.trim()) && Number(typed) <= 255 ? mended.join(".") : undefined;
}
