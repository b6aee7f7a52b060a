import { Button, HStack, Input, Text } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { useSiteId } from "../api/site";
import { Mono, Tag } from "../parts";
import { Shelf, useKept } from "../parts/kept";
import { lan } from "../parts/words";

type Props = {
  current: string;
  subnet: string;
  /** what the address that is typed is not free for */
  room?: Map<string, string>;
  own: boolean;
  typed: string | undefined;
  /** tells at once whether something is typed, before that is shown */
  isTyped: () => boolean;
  onType: (text: string | undefined) => void;
  onPin: (address: string) => Promise<boolean>;
};

const shelf = new Shelf<string | undefined>("last numbers");

/** useTyping is the end of an address as it is typed for an interface, in its field or before that is shown. */
export function useTyping(iface: string | undefined) {
  const site = useSiteId();
  const [text, set] = useKept(shelf, iface ?? "", undefined);
  const now = (of: string) => shelf.get(`${site}/${of}`);
  /** add takes a digit for an interface, the newest text before it. */
  const add = (of: string, digit: string) => shelf.set(`${site}/${of}`, `${now(of) ?? ""}${digit}`);
  const back = () => {
    const old = iface && now(iface);
    if (old === undefined) return false;
    set(old.slice(0, -1) || undefined);
    return true;
  };
  return {
    text: iface === undefined ? undefined : text,
    set,
    add,
    back,
    clear: () => set(undefined),
    is: () => iface !== undefined && now(iface) !== undefined,
  };
}

/** LastNumber is the end of an address, typed: Enter and leaving pin, Escape puts it back. */
export function LastNumber({ current, subnet, room, own, typed, isTyped, onType, onPin }: Props) {
  const { head, tail } = cut(current, subnet);
  const [sending, setSending] = useState(false);
  const field = useRef<HTMLInputElement>(null);
  const came = useRef<EventTarget>(null);
  const address = typed === undefined ? current : join(head, typed, tail);
  const bad = typed !== undefined && typed !== "" && !address;
  const why = address ? room?.get(address) : undefined;
  const held = own && (typed === undefined || address === current);
  const pin = async (then?: () => void) => {
    if (!address || typed === undefined || sending) return;
    setSending(true); // a refusal leaves what was typed
    const done = await onPin(address);
    setSending(false);
    if (!done) return;
    onType(undefined);
    then?.();
  };
  /** leave gives the focus back to the mark or row that the typing began at. */
  const leave = () => {
    const from = came.current;
    if ((from instanceof HTMLElement || from instanceof SVGElement) && from.isConnected) from.focus();
    else field.current?.blur();
  };
  return (
    <>
      <HStack flexWrap="wrap" gap="6px">
        <Mono fontSize="digits" color="muted">
          {head}
        </Mono>
        <Input
          ref={field}
          data-last-number
          aria-label="The last number of its address"
          aria-invalid={bad}
          inputMode="decimal"
          value={typed ?? tail}
          onChange={(e) => onType(e.currentTarget.value)}
          onBlur={(e) => {
            const to = e.relatedTarget;
            const stays =
              sending || (to instanceof Element && Boolean(to.closest("[data-pin-card], [role=alertdialog]")));
            if (stays || typed === undefined || !isTyped()) return;
            if (typed === "" || address === current) onType(undefined);
            else if (address && room && !why) pin(); // what is not free is asked about on Enter
          }}
          onFocus={(e) => {
            came.current = e.relatedTarget;
            if (typed === undefined) e.currentTarget.select();
          }}
          onKeyDown={(e) => {
            if (e.key === "Enter") {
              e.preventDefault();
              pin(leave);
            }
            if (e.key === "Escape") {
              e.stopPropagation();
              onType(undefined);
              leave();
            }
          }}
          w={tail.includes(".") || !head.endsWith(".") ? "110px" : "72px"}
          fontFamily="mono"
          fontSize="digits"
          px="6px"
          py="0"
          borderBottom="2px solid"
          borderBottomColor="chalk"
        />
        {bad ? (
          <Tag tone="madder">a number from 0 to 255</Tag>
        ) : why && !held ? (
          <Tag tone="madder">not free</Tag>
        ) : address && room && !held ? (
          <Tag tone="moss">free</Tag>
        ) : null}
      </HStack>
      {typed !== undefined && !bad && address && address !== current && (
        <Text fontSize="small" color="muted" role="status">
          Enter pins at {address}, Esc puts it back.
        </Text>
      )}
      {typed !== undefined && !bad && address && address !== current && (
        <Button variant="solid" display={{ base: "flex", md: "none" }} onClick={() => pin()} disabled={sending}>
          Pin at {address}
        </Button>
      )}
      {why && (
        <Text fontSize="small" color="madder">
          {address} is {why}.
        </Text>
      )}
    </>
  );
}

/** typedAddress is the address that a typed end makes of the current one; undefined where it makes none. */
export function typedAddress(current: string, subnet: string, typed: string | undefined): string | undefined {
  if (typed === undefined) return current;
  const { head, tail } = cut(current, subnet);
  return join(head, typed, tail);
}

/** cut splits an address into what the subnet fixes and what is typed. */
function cut(address: string, subnet: string): { head: string; tail: string } {
  const { bits } = lan(subnet);
  const fixed = bits >= 24 ? 3 : bits >= 16 ? 2 : 1;
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
