import { chakra } from "@chakra-ui/react";
import { useDeferredValue, useState } from "react";
import { useNavigate } from "react-router";
import type { Site } from "../api/model";
import { useSite, useSiteId } from "../api/site";
import { Input, Mono } from "../parts";
import { Dialog } from "../parts/dialog";
import { ifaceLabel, label, networkOf, placed, services } from "../parts/words";

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
        title: networkOf(site, n.id)?.name || n.id,
        detail: n.subnet,
      });
  return out.slice(0, 40);
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

/** Find goes to anything of the site by what somebody remembers of it. */
export function Find({ onClose }: { onClose: () => void }) {
  const { site } = useSite();
  const id = useSiteId();
  const navigate = useNavigate();
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const found = hits(site, useDeferredValue(text));
  const go = (hit: Hit | undefined) => {
    if (!hit) return;
    navigate(`/s/${id}/${hit.station}?pick=${encodeURIComponent(hit.ref)}`);
    onClose();
  };
  const onKey = (e: React.KeyboardEvent) => {
    if (e.key === "ArrowDown") setAt(Math.min(at + 1, found.length - 1));
    else if (e.key === "ArrowUp") setAt(Math.max(at - 1, 0));
    else if (e.key === "Enter")
      go(hits(site, text)[at]); // not the deferred ones: hands may be faster
    else return;
    e.preventDefault();
  };
  return (
    <Dialog title="Find" onClose={onClose}>
      <Input
        aria-label="Find a device, address, MAC address or port"
        placeholder="Name, .76, 8021, 53:21 …"
        value={text}
        onKeyDown={onKey}
        onChange={(e) => {
          setText(e.target.value);
          setAt(0);
        }}
      />
      <chakra.ul mt="10px" minH="180px" maxH="50vh" overflowY="auto" aria-label="Found">
        {found.map((h, i) => (
          <li key={h.ref + h.detail}>
            <chakra.button
              type="button"
              w="100%"
              px="8px"
              py="5px"
              borderRadius="field"
              bg={i === at ? "brassSoft" : undefined}
              _hover={{ bg: "brassSoft" }}
              onClick={() => go(h)}
              display="flex"
              justifyContent="space-between"
              gap="10px"
            >
              <chakra.b>{h.title}</chakra.b>
              <Mono color="muted">{h.detail}</Mono>
            </chakra.button>
          </li>
        ))}
        {text && found.length === 0 && <chakra.p color="muted">Nothing of this site matches “{text}”.</chakra.p>}
      </chakra.ul>
    </Dialog>
  );
}
