import type { Answer, Device, Forward, OwnPort, Router, Service } from "../api/model";
import { ifaceLabel, label, networkOf, short } from "../parts/words";

/** Eye is an outside port of the router. */
export type Eye = {
  key: string;
  ports: string;
  protocol: string;
  y: number;
  own?: string;
  forwards: string[];
  clash: boolean;
};
/** Foot is a service at its device, where threads end. */
export type Foot = { service: Service; device: Device; y: number; open: boolean };
/** Block is a device, or one of its interfaces, with its services below. */
export type Block = { key: string; title: string; address: string; y: number; feet: Foot[] };
export type Thread = {
  forward: Forward;
  from: Eye;
  to: { y: number; label: string } | undefined;
  udp: boolean;
  both: boolean;
  wide: boolean;
  clash: boolean;
  renumbered?: string;
};
export type Picture = { eyes: Eye[]; blocks: Block[]; threads: Thread[]; height: number };

const top = 36;
const eyeGap = 36;
const lineGap = 22;
const blockGap = 10;

const lowest = (ports: string) => Number(ports.split(/[,-]/)[0]);

/** draw lays out the outside ports, the devices and the threads between them for one router. */
export function draw(a: Answer, router: Router): Picture {
  const { site } = a;
  const blocks = blocksOf(a, router);
  const feet = new Map(blocks.flatMap((b) => b.feet.map((f) => [f.service.id, f] as const)));
  const clashing = new Set(
    a.snags.filter((s) => s.code === "outside-clash" || s.code === "outside-is-routers-own").flatMap((s) => s.about),
  );
  const forwards = site.forwards.filter((f) => f.router === router.id && f.enabled);
  const rightEnd = Math.max(top, ...blocks.map((b) => b.y + lineGap * b.feet.length));
  const eyes = eyesOf(forwards, router.ownPorts, clashing, rightEnd);
  const byForward = new Map(eyes.flatMap((e) => e.forwards.map((id) => [id, e] as const)));
  const threads = forwards.flatMap((f): Thread[] => {
    const from = byForward.get(f.id);
    if (!from) return [];
    return [
      {
        forward: f,
        from,
        to: endOf(a, f, blocks, feet),
        udp: f.protocol === "udp",
        both: f.protocol === "both",
        wide: /[-,]/.test(f.outside),
        clash: clashing.has(`forward:${f.id}`),
        renumbered: f.inside && f.inside !== f.outside ? f.inside : undefined,
      },
    ];
  });
  return { eyes, blocks, threads, height: Math.max(rightEnd + 20, (eyes.at(-1)?.y ?? 0) + 30, 160) };
}

/** reachedBy tells whether a forward of the router leads to a device, or to one interface of it. */
function reachedBy(a: Answer, router: Router, device: Device, iface?: string): boolean {
  const mine = new Set(a.site.forwards.filter((f) => f.router === router.id).map((f) => f.id));
  return a.targets.some(
    (t) => mine.has(t.forward) && device.interfaces.some((i) => i.id === t.interface && (!iface || i.id === iface)),
  );
}

/** blocksOf lists what is opened first, then what stays inside. */
function blocksOf(a: Answer, router: Router): Block[] {
  let y = top;
  const opens = (d: Device) => d.services.some((s) => s.open) || reachedBy(a, router, d);
  const order = [...a.site.devices.filter(opens), ...a.site.devices.filter((d) => !opens(d))];
  return order.flatMap((device) =>
    device.interfaces.flatMap((iface) => {
      const services = device.services.filter((s) => s.interface === iface.id);
      const reached = reachedBy(a, router, device, iface.id);
      if (services.length === 0 && !reached) return [];
      const address = iface.pin?.address ?? iface.seen;
      const block: Block = {
        key: iface.id,
        title: ifaceLabel(device, iface),
        address: `${short(address, networkOf(a.site, iface.network))}${iface.pin ? "" : " loose"}`,
        y,
        feet: [],
      };
      services.forEach((service, i) => {
        block.feet.push({ service, device, y: y + lineGap * (i + 1), open: Boolean(service.open) });
      });
      y += lineGap * (services.length + 1) + blockGap;
      return [block];
    }),
  );
}

function eyesOf(forwards: Forward[], own: OwnPort[], clashing: Set<string>, height: number): Eye[] {
  const eyes = new Map<string, Eye>();
  for (const o of own)
    eyes.set(`own ${o.protocol} ${o.ports}`, {
      key: `own ${o.protocol} ${o.ports}`,
      ports: o.ports,
      protocol: o.protocol,
      y: 0,
      own: o.why || "the router itself",
      forwards: [],
      clash: false,
    });
  for (const f of forwards) {
    const key = `${f.protocol} ${f.outside}`;
    const eye = eyes.get(key) ?? { key, ports: f.outside, protocol: f.protocol, y: 0, forwards: [], clash: false };
    eye.forwards.push(f.id);
    eye.clash ||= clashing.has(`forward:${f.id}`);
    eyes.set(key, eye);
  }
  const sorted = [...eyes.values()].sort(
    (x, y) => lowest(x.ports) - lowest(y.ports) || x.protocol.localeCompare(y.protocol),
  );
  const gap = Math.max(eyeGap, Math.min(62, (height - top) / Math.max(1, sorted.length)));
  return sorted.map((e, i) => ({ ...e, y: top + 14 + i * gap }));
}

/** endOf is where a forward's thread ends: at its service, at its device, or at a bare address. */
function endOf(a: Answer, f: Forward, blocks: Block[], feet: Map<string, Foot>): Thread["to"] {
  const target = a.targets.find((t) => t.forward === f.id);
  const inside = f.inside || f.outside;
  const block = blocks.find((b) => b.key === target?.interface);
  const foot =
    (f.service && feet.get(f.service)) ||
    block?.feet.find(
      (x) =>
        x.service.ports === inside &&
        (x.service.protocol === f.protocol || x.service.protocol === "both" || f.protocol === "both"),
    );
  if (foot) return { y: foot.y, label: `${label(foot.device)} ${foot.service.name ?? ""}` };
  if (block) return { y: block.y, label: block.title };
  return undefined;
}

/** Columns of the picture for a width. */
export function columns(width: number) {
  const eye = Math.min(160, Math.max(120, width * 0.185));
  const foot = Math.max(width * 0.6, width - 330);
  const box = { x: eye + (foot - eye) * 0.32, w: (foot - eye) * 0.35 };
  return { eye, foot, box };
}

/** path leads a thread from its eyelet through the router to its device. */
export function path(fromY: number, toY: number, width: number): string {
  const c = columns(width);
  const out = c.box.x + c.box.w;
  const mid = (c.box.x + out) / 2;
  return `M${c.eye + 8} ${fromY}H${c.box.x}C${mid} ${fromY} ${mid} ${toY} ${out} ${toY}H${c.foot - 6}`;
}
