import type { Device, Evidence } from "../api/model";

const named = ["mdns", "llmnr", "netbios", "ssdp", "reverse DNS", "ws-discovery", "snmp", "description"];
const packets = ["arp", "asked", "requested", "granted"];

/** wayOf is in which way a piece of evidence saw a device. */
function wayOf(e: Evidence): string {
  const state = e.state ?? "";
  if (named.includes(state)) return "name";
  if (e.source === "sweep" || e.source === "port sweep") return "sweep";
  if (state === "lease" || state === "reservation") return "lease";
  return packets.includes(state) && /\.p?cap/i.test(e.source) ? "capture" : "pasted";
}

const order = ["sweep", "lease", "name", "capture", "pasted"];

/** sourcesOf are the ways in which a device was seen, in words. */
export function sourcesOf(device: Device): string {
  const seen = new Set(device.interfaces.flatMap((i) => i.evidence.map(wayOf)));
  return order.filter((w) => seen.has(w)).join(", ") || "by hand";
}
