import type { Answer, Device, Interface, Service } from "../api/model";
import { ifaceLabel, indexOf, label, networkOf, number, short } from "../parts/words";

/** Member is a device's interface with its services. */
export type Member = { device: Device; iface: Interface; services: Service[]; reached: boolean };

/** Fold is one member, or several alike that are shown as one. */
export type Fold = { key: string; title: string; address: string; members: Member[] };

/** fewest is how many must be alike to be folded. */
const fewest = 3;

/** Led is how a service is reached so far, in a word that those alike share; "apart" where its device stands alone. */
export type Led = (m: Member, service: Service) => string;

export const apart = "apart";

/** likeness is what members that fold together have in common; "" where one is never folded. */
function likeness(m: Member, led: Led): string {
  const reached = m.services.map((s) => led(m, s));
  if (reached.length === 0 || reached.includes(apart)) return "";
  return JSON.stringify([
    m.device.kind,
    m.services.map((s, i) => [s.name, s.protocol, s.ports, s.open?.port, s.open?.from, Boolean(s.open), reached[i]]),
  ]);
}

/** foldsOf puts members that are alike together, in the order of the first of each. Those apart stand alone. */
export function foldsOf(a: Answer, members: Member[], folded: (key: string) => boolean, led: Led): Fold[] {
  const groups = new Map<string, Member[]>();
  for (const m of members) {
    const key = likeness(m, led) || m.iface.id;
    groups.set(key, [...(groups.get(key) ?? []), m]);
  }
  return [...groups].flatMap(([key, alike]) =>
    alike.length >= fewest && folded(key)
      ? [{ key, title: titleOf(alike), address: span(a, alike), members: alike }]
      : alike.map((m) => ({
          key: m.iface.id,
          title: ifaceLabel(m.device, m.iface),
          address: where(a, m.iface),
          members: [m],
        })),
  );
}

const where = (a: Answer, iface: Interface) =>
  `${short(iface.pin?.address ?? iface.seen, networkOf(a.site, iface.network))}${iface.pin ? "" : " loose"}`;

/** titleOf names several alike: "Camera 3 to 24" where their names count up, else how many of which kind. */
function titleOf(alike: Member[]): string {
  const names = alike.map((m) => /^(.*?)\s*(\d+)$/.exec(label(m.device)));
  const [stem] = [names[0]?.[1]];
  const counted = stem && names.every((n) => n?.[1] === stem);
  if (!counted) return `${alike.length} alike: ${alike[0]?.device.kind || "devices"}`;
  const numbers = names.map((n) => Number(n?.[2]));
  return `${stem} ${Math.min(...numbers)} to ${Math.max(...numbers)}`;
}

function span(a: Answer, alike: Member[]): string {
  const all = alike.flatMap((m) => m.iface.pin?.address ?? m.iface.seen ?? []).sort((x, y) => number(x) - number(y));
  const network = networkOf(a.site, alike[0]?.iface.network ?? "");
  const loose = alike.filter((m) => !m.iface.pin).length;
  const [first, last] = [all[0], all.at(-1)];
  if (loose === alike.length) return `${loose} loose`;
  return `${first && last ? `${short(first, network)}–${short(last, network)}` : ""}${loose ? ` ${loose} loose` : ""}`;
}

/** membersOf lists what the devices of networks answer on, what is opened first. */
export function membersOf(a: Answer, networks: string[]): Member[] {
  const { targets } = indexOf(a);
  const reached = new Set(a.site.forwards.flatMap((f) => targets.get(f.id)?.interface ?? []));
  const all = a.site.devices.flatMap((device) =>
    device.interfaces.flatMap((iface): Member[] => {
      if (!networks.includes(iface.network)) return [];
      const services = device.services.filter((s) => s.interface === iface.id);
      if (services.length === 0 && !reached.has(iface.id)) return [];
      return [{ device, iface, services, reached: reached.has(iface.id) }];
    }),
  );
  const opens = (m: Member) => m.reached || m.services.some((s) => s.open);
  return [...all.filter(opens), ...all.filter((m) => !opens(m))];
}
