import type { Answer, Device, Interface, Network, Router, Service, Site, Snag } from "../api/model";

/** label names a device as the server does. */
export function label(d: Device): string {
  return d.name || (d.kind ? `unnamed ${d.kind}` : `unnamed ${d.interfaces[0]?.mac ?? "device"}`);
}

/** routerLabel names a router as the server does. */
export function routerLabel(r: Router): string {
  const outside = r.wan?.name || r.wan?.address;
  return r.name || (outside ? `router at ${outside}` : "unnamed router");
}

/** networkLabel names a network with its subnet. */
export const networkLabel = (n: Network) => (n.name ? `${n.name} ${n.subnet}` : n.subnet);

/** ifaceLabel names an interface: its device, and which of several it is. */
export function ifaceLabel(d: Device, i: Interface): string {
  return d.interfaces.length > 1 && i.name ? `${label(d)}, ${i.name}` : label(d);
}

export type Placed = { device: Device; iface: Interface };

/** placed lists all interfaces with their devices. */
export function placed(site: Site): Placed[] {
  return site.devices.flatMap((device) => device.interfaces.map((iface) => ({ device, iface })));
}

export type Wish = { device: Device; iface: Interface; service: Service };

/** services lists all services with their devices and interfaces. */
export function services(site: Site): Wish[] {
  return site.devices.flatMap((device) =>
    device.services.flatMap((service) => {
      const iface = device.interfaces.find((i) => i.id === service.interface);
      return iface ? [{ device, iface, service }] : [];
    }),
  );
}

/** number is an IPv4 address as a number. */
export function number(address: string): number {
  return address.split(".").reduce((n, part) => n * 256 + Number(part), 0);
}

/** address is the IPv4 address with that number. */
export function address(n: number): string {
  return [24, 16, 8, 0].map((shift) => Math.floor(n / 2 ** shift) % 256).join(".");
}

export type Lan = { lo: number; hi: number; bits: number };

/** lan is the first and last number of a subnet. */
export function lan(subnet: string): Lan {
  const [base = "0.0.0.0", bits = "24"] = subnet.split("/");
  const size = 2 ** (32 - Number(bits));
  const lo = Math.floor(number(base) / size) * size;
  return { lo, hi: lo + size - 1, bits: Number(bits) };
}

/** short is the end of an address that differs within its subnet, such as ".76". */
export function short(addr: string | undefined, network: Network | undefined): string {
  if (!addr) return "";
  if (!network) return addr;
  const { lo, hi, bits } = lan(network.subnet);
  const n = number(addr);
  if (n < lo || n > hi) return addr;
  const parts = addr.split(".");
  return `.${parts.slice(bits >= 24 ? 3 : bits >= 16 ? 2 : 1).join(".")}`;
}

export function networkOf(site: Site, id: string): Network | undefined {
  return site.networks.find((n) => n.id === id);
}

/** about tells whether a snag or step is about what is picked, or about a part of it. */
export function about(refs: string[], pick: string | undefined, site: Site): boolean {
  if (!pick) return false;
  if (refs.includes(pick)) return true;
  const owner = ownerOf(pick, site);
  return owner !== undefined && refs.includes(`device:${owner.id}`);
}

/** ownerOf finds the device that a picked thing is or belongs to. */
export function ownerOf(pick: string | undefined, site: Site): Device | undefined {
  if (!pick) return undefined;
  const at = pick.indexOf(":");
  const [kind, id] = [pick.slice(0, at), pick.slice(at + 1)];
  return site.devices.find(
    (d) =>
      (kind === "device" && d.id === id) ||
      (kind === "interface" && d.interfaces.some((i) => i.id === id)) ||
      (kind === "service" && d.services.some((s) => s.id === id)) ||
      (kind === "forward" &&
        site.forwards.some(
          (f) => f.id === id && (d.interfaces.some((i) => i.id === f.to) || d.services.some((s) => s.id === f.service)),
        )),
  );
}

export const plural = (n: number, one: string, many = `${one}s`) => `${n} ${n === 1 ? one : many}`;

/** sentence begins a text with a capital letter. */
export const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** clock shows the time of a moment today, and its day otherwise. */
export function clock(at: string): string {
  const d = new Date(at);
  if (Number.isNaN(d.getTime())) return at;
  const time = d.toLocaleTimeString([], { hour: "numeric", minute: "2-digit" });
  return d.toDateString() === new Date().toDateString()
    ? time
    : `${d.toLocaleDateString([], { day: "numeric", month: "short" })} ${time}`;
}

type Index = {
  placed: Placed[];
  interfaces: Map<string, Placed>;
  devices: Map<string, Device>;
  snags: Map<string, Snag[]>;
  targets: Map<string, Answer["targets"][number]>;
  services: Map<string, Wish>;
};

const indexes = new WeakMap<Answer, Index>();

/** indexOf finds things of an answer by what they are called; it is made once for each answer. */
export function indexOf(a: Answer): Index {
  const known = indexes.get(a);
  if (known) return known;
  const all = placed(a.site);
  const snags = new Map<string, Snag[]>();
  for (const s of a.snags)
    for (const ref of s.about) {
      const of = snags.get(ref);
      if (of) of.push(s);
      else snags.set(ref, [s]);
    }
  const made: Index = {
    placed: all,
    interfaces: new Map(all.map((p) => [p.iface.id, p])),
    devices: new Map(a.site.devices.map((d) => [d.id, d])),
    snags,
    services: new Map(services(a.site).map((w) => [w.service.id, w])),
    targets: new Map(a.targets.map((t) => [t.forward, t])),
  };
  indexes.set(a, made);
  return made;
}

/** snagsOf are the snags about what is picked, or about the device that it is a part of. */
export function snagsOf(a: Answer, pick: string | undefined): Snag[] {
  if (!pick) return [];
  const { snags } = indexOf(a);
  const owner = ownerOf(pick, a.site);
  const own = owner ? (snags.get(`device:${owner.id}`) ?? []) : [];
  return [...new Set([...(snags.get(pick) ?? []), ...own])];
}

/** servesOf gives the ids of all networks of a router, its first one first. */
export const servesOf = (r: Router) => (r.networks.length > 0 ? r.networks : [r.network]);

/** exposedOf names who gets all other ports of a router, "" for nobody. */
export function exposedOf(site: Site, r: Router): string {
  if (!r.exposedHost) return "";
  const device = site.devices.find((d) => d.interfaces.some((i) => i.id === r.exposedHost));
  const behind = site.routers.find((o) => o.upstream === r.id && o.wan?.address === r.exposedHost);
  return device?.name || behind?.name || r.exposedHost;
}
