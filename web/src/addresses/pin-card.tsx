import { Box, Button, Checkbox, Clipboard, DataList, Heading, HStack, Spacer, Stack, Text } from "@chakra-ui/react";
import { useDeferredValue } from "react";
import { there, useEdit } from "../api/edit";
import type { By, Network } from "../api/model";
import { useSite } from "../api/site";
import { Mono, Muted, Remark, Section, Segments } from "../parts";
import { ifaceLabel, indexOf, lan, networkOf, type Placed, address as write } from "../parts/words";
import { AskFree } from "./ask-free";
import type { Place } from "./asked";
import { LastNumber, typedAddress, useTyping } from "./last-number";
import type { Suggested } from "./suggested";

const ways = [
  { id: "reservation", label: "reserve" },
  { id: "device", label: "on device" },
  { id: "both", label: "both" },
] as const;

type Props = {
  placed: Placed;
  room?: Map<string, string>;
  by: By;
  /** where a run of arrows has led to so far */
  moving?: string;
  suggested?: Suggested;
  place: Place;
  onTake: () => void;
};

/** PinCard pins the picked device: its last number, the way, and what to type on the device. */
export function PinCard({ placed, room, by, moving, suggested, place, onTake }: Props) {
  const { site } = useSite();
  const { device, iface } = placed;
  const { text: typed, set: setTyped, is: isTyped } = useTyping(iface.id);
  const network = networkOf(site, iface.network);
  const { pin } = iface;
  const subnet = network?.subnet ?? "0.0.0.0/24";
  const current = moving ?? pin?.address ?? suggested?.pin.address ?? "";
  const address = typedAddress(current, subnet, typed);
  return (
    <Stack gap="12px" data-pin-card>
      <div>
        <Heading as="h2" size="md" overflowWrap="anywhere">
          {ifaceLabel(device, iface)}
        </Heading>
        <Muted fontSize="small">
          {[device.kind, device.place].filter(Boolean).join(" · ")} {iface.mac && <Mono>{iface.mac}</Mono>}
        </Muted>
      </div>
      <LastNumber
        current={current}
        subnet={subnet}
        room={room}
        own={current === pin?.address}
        typed={typed}
        isTyped={isTyped}
        onType={setTyped}
        onPin={(to) => place(placed, to, by)}
      />
      {address && <AskFree key={address} address={address} mac={iface.mac} />}
      <Segments
        label="How it is pinned"
        value={pin?.by ?? null}
        options={ways}
        disabled={!address}
        onChange={async (way) => address && (await place(placed, address, way)) && setTyped(undefined)}
      />
      {suggested && (
        <Remark status="warning">
          <Text>
            <b>Why {suggested.pin.address}:</b> {suggested.why}
          </Text>
          <Button variant="plain" onClick={onTake}>
            Pin at {suggested.pin.address}
          </Button>
        </Remark>
      )}
      {pin ? (
        <Pinned placed={placed} network={network} />
      ) : (
        <Muted fontSize="small">
          Loose: {iface.seen ? `seen at ${iface.seen}, and` : "never seen;"} its address can change. Type a last number
          to pin it, or drag its ring.
        </Muted>
      )}
    </Stack>
  );
}

/** Pinned is what can be done with a pin that is there. */
function Pinned({ placed: { device, iface }, network }: { placed: Placed; network: Network | undefined }) {
  const edit = useEdit();
  const { version } = useSite();
  const { pin } = iface;
  const address = useDeferredValue(pin?.address); // what is copied comes after what is looked at
  if (!pin || !address) return null;
  return (
    <>
      <HStack fontSize="small">
        <Checkbox.Root
          checked={pin.locked ?? false}
          onCheckedChange={(e) =>
            edit.mutate({
              of: (now) => {
                const stands = there(indexOf(now).interfaces.get(iface.id)?.iface.pin);
                return [{ do: "pin", id: iface.id, pin: { ...stands, locked: e.checked === true || undefined } }];
              },
            })
          }
        >
          <Checkbox.HiddenInput />
          <Checkbox.Control>
            <Checkbox.Indicator />
          </Checkbox.Control>
          <Checkbox.Label>lock: no suggestion moves it</Checkbox.Label>
        </Checkbox.Root>
        <Spacer />
        <Button
          variant="plain"
          onClick={() =>
            edit.mutate({
              edits: [{ do: "pin", id: iface.id }],
              version,
              says: `${ifaceLabel(device, iface)} is loose.`,
            })
          }
        >
          Make it loose
        </Button>
      </HStack>
      {network && (
        <Section title={pin.by === "reservation" ? "To set it on the device instead" : "To set on the device"}>
          <DataList.Root>
            {settings(address, network).map(([name, value]) => (
              <Setting key={name} name={name} value={value} />
            ))}
          </DataList.Root>
        </Section>
      )}
    </>
  );
}

/** Setting is a value to type on a device; it is copied by a press. */
function Setting({ name, value }: { name: string; value: string }) {
  return (
    <DataList.Item py="0">
      <DataList.ItemLabel>{name}</DataList.ItemLabel>
      <DataList.ItemValue>
        <Clipboard.Root key={value} value={value}>
          <Clipboard.Trigger asChild>
            <Button
              variant="plain"
              w="100%"
              minH={{ base: "44px", md: "28px" }}
              fontWeight={400}
              color="ink"
              aria-label={`${name} ${value} copy`}
            >
              <Mono flex={1}>{value}</Mono>{" "}
              <Box as="span" fontSize="label" color="muted" role="status">
                <Clipboard.Indicator copied="copied">copy</Clipboard.Indicator>
              </Box>
            </Button>
          </Clipboard.Trigger>
        </Clipboard.Root>
      </DataList.ItemValue>
    </DataList.Item>
  );
}

function settings(address: string, network: Network): [string, string][] {
  const { bits } = lan(network.subnet);
  return [
    ["Address", address],
    ["Mask", write(2 ** 32 - 2 ** (32 - bits))],
    ...(network.gateway ? ([["Gateway", network.gateway]] satisfies [string, string][]) : []),
    ...network.dns.map((d, i): [string, string] => [i ? `DNS ${i + 1}` : "DNS", d]),
  ];
}
