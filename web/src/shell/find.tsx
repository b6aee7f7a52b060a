import { Box, Combobox, createListCollection, Text } from "@chakra-ui/react";
import { useEffect, useMemo, useState } from "react";
import { useNavigate } from "react-router";
import type { Site } from "../api/model";
import { useSite, useSiteId } from "../api/site";
import { Mono } from "../parts";
import { Dialog } from "../parts/dialog";
import { takeKeys } from "../parts/keys";
import { ifaceLabel, label, placed, plural, services } from "../parts/words";

type Hit = { ref: string; station: string; title: string; detail: string };

/** hits looks for a text in names, addresses, MAC addresses, ports and forwards. */
export function hits(site: Site, text: string): Hit[] {
  const want = text.trim().replace(/^\/+/, "").toLowerCase(); // the key that opened it may slip in
  if (!want) return [];
  const plain = want.replace(/[:\-.]/g, "");
  const has = (s: string | undefined) => Boolean(s?.toLowerCase().includes(want));
  const out: Hit[] = [];
  for (const d of site.devices)
    if (has(d.name) || has(d.kind) || has(d.place))
      out.push({
        ref: `device:${d.id}`,
        station: "survey",
        title: label(d),
        detail: [d.kind, d.place].filter(Boolean).join(" · "),
      });
  for (const { device, iface } of placed(site)) {
    const addresses = [iface.pin?.address, iface.seen];
    const mac = iface.mac?.replaceAll(":", "") ?? "";
    if (addresses.some((a) => a && (has(a) || (want.startsWith(".") && a.endsWith(want)))))
      out.push({
        ref: `interface:${iface.id}`,
        station: "addresses",
        title: ifaceLabel(device, iface),
        detail: iface.pin ? `pinned at ${iface.pin.address}` : `seen at ${iface.seen}`,
      });
    else if (plain.length > 3 && mac.includes(plain))
      out.push({
        ref: `interface:${iface.id}`,
        station: "addresses",
        title: ifaceLabel(device, iface),
        detail: iface.mac ?? "",
      });
  }
  for (const { device, service } of services(site))
    if (has(service.name) || holds(service.ports, want))
      out.push({
        ref: `service:${service.id}`,
        station: "ports",
        title: `${label(device)} ${service.name ?? ""}`,
        detail: `${service.ports} ${service.protocol}${service.open ? "" : ", stays inside"}`,
      });
  for (const f of site.forwards)
    if (has(f.name) || holds(f.outside, want))
      out.push({
        ref: `forward:${f.id}`,
        station: "ports",
        title: f.name || "forward",
        detail: `outside ${f.outside} ${f.protocol}`,
      });
  for (const n of site.networks)
    if (has(n.subnet) || has(n.gateway))
      out.push({
        ref: `network:${n.id}`,
        station: "addresses",
        title: n.name || "Network",
        detail: n.subnet,
      });
  return out;
}

/** holds tells whether a port lies in ports written as "80" or "16400-16463,5060". */
function holds(ports: string, want: string): boolean {
  if (!/^\d+$/.test(want)) return false;
  const n = Number(want);
  return ports.split(",").some((part) => {
    const [lo, hi = lo] = part.split("-").map(Number);
    return n >= (lo ?? 0) && n <= (hi ?? 0);
  });
}

/** How many of what was found are listed. */
const most = 40;

/** Find goes to anything of the site by what somebody remembers of it. */
export function Find({ onClose }: { onClose: () => void }) {
  const { site } = useSite();
  const id = useSiteId();
  const navigate = useNavigate();
  const [text, setText] = useState("");
  useEffect(() => () => void takeKeys(), []);
  const found = useMemo(() => hits(site, text), [site, text]);
  const collection = useMemo(
    () =>
      createListCollection({
        items: found.slice(0, most).map((h) => ({ ...h, key: `${h.station} ${h.ref} ${h.detail}` })),
        itemToString: (h) => h.title,
        itemToValue: (h) => h.key,
      }),
    [found],
  );
  const go = (hit: Hit | undefined) => {
    if (!hit) return;
    navigate(`/s/${id}/${hit.station}?pick=${encodeURIComponent(hit.ref)}`);
    onClose();
  };
  return (
    <Dialog title="Find" onClose={onClose}>
      <Combobox.Root
        collection={collection}
        open={text !== ""}
        inputValue={text}
        inputBehavior="autohighlight"
        selectionBehavior="preserve"
        disableLayer
        onInputValueChange={(e) => setText(e.inputValue)}
        onValueChange={(e) => go(e.items[0])}
      >
        <Combobox.Control>
          <Combobox.Input
            aria-label="Find a device, address, MAC address or port"
            onFocus={() => setText(`${text}${takeKeys()}`)}
            placeholder="Name, .76, 8021, 53:21 …"
          />
        </Combobox.Control>
        <Text role="status" mt="6px" fontSize="small" color="muted" minH="1.4em">
          {text === ""
            ? ""
            : found.length === 0
              ? `Nothing of this site matches “${text}”.`
              : `${plural(found.length, "thing")} found${found.length > most ? `, the first ${most} are shown` : ""}`}
        </Text>
        <Box minH="180px" maxH="50vh" overflowY="auto">
          <Combobox.Content border="0" boxShadow="none" maxH="none" p="0" aria-label="Found">
            {collection.items.map((h) => (
              <Combobox.Item key={h.key} item={h}>
                <Combobox.ItemText fontWeight={700}>{h.title}</Combobox.ItemText>
                <Mono color="muted">{h.detail}</Mono>
              </Combobox.Item>
            ))}
          </Combobox.Content>
        </Box>
      </Combobox.Root>
    </Dialog>
  );
}
