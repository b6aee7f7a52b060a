import type { Answer, Device, Discrepancy, Forward, Protocol, Router, Service } from "../api/model";
import { ifaceLabel, indexOf, label, servesOf } from "../parts/words";
import { apart, type Fold, foldsOf, type Member, membersOf } from "./fold";
import { chainOf, type Way, waysOf } from "./ways";

/** Eye is an outside port of the outermost router, or of one behind it that nothing leads to from outside. */
export type Eye = {
  key: string;
  ports: string;
  /** the ports of each, where several alike are one eyelet */
  each?: string[];
  protocol: Protocol;
  y: number;
  /** the band at whose edge it is; 0 is the outermost router's */
  band: number;
  own?: string;
  /** what the router holds, and nobody planned */
  alone?: string;
  forwards: string[];
  clash: boolean;
  ghost: boolean;
};
/** Foot is a service at its device, where threads end; of several devices alike that are folded the first. */
export type Foot = { service: Service; device: Device; y: number; open: boolean; count: number };
/** Block is a device, or one of its interfaces, with its services below; folded it is several. */
export type Block = { key: string; title: string; address: string; y: number; feet: Foot[]; count: number };
export type Thread = {
  forward: Forward;
  ids: string[];
  from: Eye;
  to: { y: number; label: string } | undefined;
  wide: boolean;
  count: number;
  clash: boolean;
  ghost: boolean;
  /** per band: the port with which it leaves there, where that is another */
  renumbered: (string | undefined)[];
  /** what a router of the way really does, and how many routers in from the eyelet it stands */
  held?: { says: string; leg: number };
};
/** Band is a router, and from where to where it stands between its devices and what is in front of it. */
export type Band = { router: Router; depth: number; top: number; bottom: number };
/** Bow joins two eyelets that want the same. */
export type Bow = { key: string; from: number; to: number; says: string };
export type Picture = { eyes: Eye[]; blocks: Block[]; threads: Thread[]; bands: Band[]; bows: Bow[]; height: number };

/** Show is how the picture is drawn: eyelets by device or by number, and what is folded and left out. */
export type Show = {
  byNumber: boolean;
  unfolded: string[];
  /** what is picked is never folded */
  pick: string | undefined;
  test: (m: Member) => boolean;
};

const top = 36;
const lineGap = 25;
const blockGap = 10;

const lowest = (ports: string) => Number(ports.split(/[,-]/)[0]);

/** Laying is a picture while it is made. */
class Laying {
  readonly picture: Picture = { eyes: [], blocks: [], threads: [], bands: [], bows: [], height: 0 };
  private readonly keys = new Map<string, number>();
  y = top;

  constructor(
    readonly a: Answer,
    readonly show: Show,
    readonly differs: Map<string, Discrepancy>,
  ) {}

  /** eye adds an eyelet; of several at one port the first has the plain key. */
  eye(of: Omit<Eye, "key">, name = `${of.protocol} ${of.ports}`): Eye {
    const n = (this.keys.get(name) ?? 0) + 1;
    this.keys.set(name, n);
    const eye = { ...of, key: n > 1 ? `${name} ${n}` : name };
    this.picture.eyes.push(eye);
    return eye;
  }

  /** thread adds a way, or several alike, that ends at a height. */
  thread(ways: Way[], y: number, to: Thread["to"], ghost: boolean, depth: number) {
    const [first] = ways;
    if (!first) return;
    const { targets } = indexOf(this.a);
    const outermost = ways.map((w) => w.legs[0] ?? w.forward);
    const lead = first.legs[0] ?? first.forward;
    const ports = ways.length > 1 ? joined(outermost.map((f) => f.outside)) : lead.outside;
    const clash = !ghost && ways.some((w) => w.legs.some((f) => targets.get(f.id)?.clash));
    const band = depth - (first.legs.length - 1);
    const ids = ways.flatMap((w) => w.legs.map((f) => f.id));
    const each = ways.length > 1 ? outermost.map((f) => f.outside) : undefined;
    const from = this.eye({ ports, each, protocol: lead.protocol, y, band, forwards: ids, clash, ghost });
    const leg = first.legs.findIndex((_, i) => ways.some((w) => this.differs.has(w.legs[i]?.id ?? "")));
    const wrong = ways.map((w) => this.differs.get(w.legs[leg]?.id ?? "")).find((d) => d);
    this.picture.threads.push({
      forward: first.forward,
      ids,
      from,
      to,
      wide: ways.length > 1 || /[-,]/.test(lead.outside),
      count: ways.length,
      clash,
      ghost,
      renumbered: first.legs.map((f) => (f.inside && f.inside !== f.outside ? f.inside : undefined)),
      held: ghost || !wrong ? undefined : { says: heldWords(wrong), leg },
    });
  }
}

const heldWords = (d: Discrepancy) =>
  d.held.fate === "forwarded"
    ? `in the router: to ${d.held.address}${d.held.inside && d.held.inside !== d.plan.inside ? ` port ${d.held.inside}` : ""}`
    : "not in the router";

/** joined writes ports that several devices have: a range where they follow each other, else from which to which. */
function joined(ports: string[]): string {
  const low = ports.map(lowest).sort((x, y) => x - y);
  const [first, last] = [low[0] ?? 0, low.at(-1) ?? 0];
  return first === last ? String(first) : `${first}${last - first === low.length - 1 ? "–" : " … "}${last}`;
}

/** draw lays out the outside ports, the routers in a row, the devices and the threads between them. */
export function draw(a: Answer, root: Router, ghosts: Forward[], show: Show): Picture {
  const chain = chainOf(a, root);
  const held = a.held.filter((h) => chain.some((r) => r.id === h.router));
  const l = new Laying(
    a,
    show,
    new Map(held.flatMap((h) => h.differs.flatMap((d) => (d.forward ? [[d.forward, d] as const] : [])))),
  );
  const ways = waysOf(
    a,
    chain,
    a.site.forwards.filter((f) => f.enabled),
  );
  section(l, root, ways, ghosts, 0, new Set());
  bows(l.picture);
  l.picture.height = Math.max(l.y + 14, 160);
  if (show.byNumber) number(l.picture);
  return l.picture;
}

/** section lays out a router, the devices on its network, and the routers behind it. */
function section(l: Laying, router: Router, ways: Way[], ghosts: Forward[], depth: number, seen: Set<string>) {
  seen.add(router.id);
  const { a, picture } = l;
  const { targets } = indexOf(a);
  const band: Band = { router, depth, top: l.y - 16, bottom: l.y };
  picture.bands.push(band);
  if (depth > 0) l.y += 14;
  const mine = ways.filter((w) => w.forward.router === router.id);
  const asked = ghosts.filter((f) => f.router === router.id).map((f): Way => ({ forward: f, legs: [f] }));
  for (const o of router.ownPorts) {
    l.eye(
      {
        ports: o.ports,
        protocol: o.protocol,
        y: l.y,
        band: depth,
        own: o.why || "the router itself",
        forwards: [],
        clash: false,
        ghost: false,
      },
      `own ${o.protocol} ${o.ports}`,
    );
    l.y += lineGap;
  }
  const serviceOf = (f: Forward) => f.service || targets.get(f.id)?.service || "";
  const ifaceOf = (f: Forward) => targets.get(f.id)?.interface ?? f.to;
  const byService = grouped(mine, (w) => serviceOf(w.forward));
  const asking = grouped(asked, (w) => serviceOf(w.forward));
  const byIface = grouped(
    mine.filter((w) => !serviceOf(w.forward)),
    (w) => ifaceOf(w.forward),
  );
  const led = (m: Member, s: Service) => {
    const has = byService.get(s.id) ?? [];
    const wants = asking.get(s.id) ?? [];
    const odd = has.some((w) => w.legs.some((f) => targets.get(f.id)?.clash || l.differs.has(f.id)));
    const linked = a.site.links.some((k) => k.service === s.id || k.interface === m.iface.id);
    if (
      odd ||
      linked ||
      has.length > 1 ||
      wants.length > 1 ||
      byIface.has(m.iface.id) ||
      picks(l.show.pick, m, byService)
    )
      return apart;
    return `${has.length} ${has[0]?.legs.length} ${wants.length}`;
  };
  const drawn = new Set<Way>();
  const folds = foldsOf(
    a,
    membersOf(a, servesOf(router)).filter(l.show.test),
    (key) => !l.show.unfolded.includes(key),
    led,
  );
  for (const fold of folds) block(l, fold, byService, asking, byIface, depth, drawn);
  for (const w of mine) {
    if (drawn.has(w) || !bare(l, w, serviceOf, ifaceOf)) continue;
    l.thread([w], l.y, undefined, false, depth);
    l.y += lineGap;
  }
  alone(l, router, depth);
  band.bottom = l.y;
  for (const inner of a.site.routers.filter((r) => r.upstream === router.id && !seen.has(r.id)))
    section(l, inner, ways, ghosts, depth + 1, seen);
  if (depth === 0) band.bottom = l.y;
}

/** alone lays out what a router holds and nobody planned, at its own edge. */
function alone(l: Laying, router: Router, depth: number) {
  const differs = l.a.held.find((h) => h.router === router.id)?.differs ?? [];
  const stray = differs.filter((d) => !d.forward && d.held.fate === "forwarded");
  if (stray.length > 0) l.y += blockGap;
  for (const d of stray) {
    const held = `${d.held.address} port ${d.held.inside}`;
    l.eye(
      {
        ports: d.ports,
        protocol: d.protocol,
        y: l.y,
        band: depth,
        alone: held,
        forwards: [],
        clash: false,
        ghost: false,
      },
      `alone ${router.id} ${d.protocol} ${d.ports}`,
    );
    l.y += lineGap;
  }
}

/** bare tells whether a way that no block drew is to be drawn: what a filter left out is not. */
function bare(l: Laying, w: Way, serviceOf: (f: Forward) => string, ifaceOf: (f: Forward) => string): boolean {
  const { services, interfaces } = indexOf(l.a);
  return !services.has(serviceOf(w.forward)) && !interfaces.has(ifaceOf(w.forward));
}

function picks(pick: string | undefined, m: Member, byService: Map<string, Way[]>): boolean {
  if (!pick) return false;
  return (
    pick === `device:${m.device.id}` ||
    pick === `interface:${m.iface.id}` ||
    m.services.some(
      (s) =>
        pick === `service:${s.id}` ||
        (byService.get(s.id) ?? []).some((w) => w.legs.some((f) => pick === `forward:${f.id}`)),
    )
  );
}

function grouped<T>(list: T[], keyOf: (item: T) => string): Map<string, T[]> {
  const out = new Map<string, T[]>();
  for (const item of list) {
    const key = keyOf(item);
    if (key) out.set(key, [...(out.get(key) ?? []), item]);
  }
  return out;
}

/** block lays out a device, or several alike as one, each eyelet opposite its service. */
function block(
  l: Laying,
  fold: Fold,
  byService: Map<string, Way[]>,
  asking: Map<string, Way[]>,
  byIface: Map<string, Way[]>,
  depth: number,
  drawn: Set<Way>,
) {
  const [first] = fold.members;
  if (!first) return;
  const many = fold.members.length;
  const b: Block = { key: fold.key, title: fold.title, address: fold.address, y: l.y, feet: [], count: many };
  l.picture.blocks.push(b);
  const led = byIface.get(first.iface.id) ?? [];
  for (const w of led) {
    drawn.add(w);
    l.thread([w], l.y, { y: b.y, label: ifaceLabel(first.device, first.iface) }, false, depth);
    l.y += lineGap;
  }
  if (led.length === 0) l.y += lineGap;
  first.services.forEach((service, i) => {
    const ways = fold.members.flatMap((m) => byService.get(m.services[i]?.id ?? "") ?? []);
    for (const w of ways) drawn.add(w);
    const ghosts = fold.members.flatMap((m) => asking.get(m.services[i]?.id ?? "") ?? []);
    const foot: Foot = { service, device: first.device, y: l.y, open: Boolean(service.open), count: many };
    const to = { y: foot.y, label: `${label(first.device)} ${service.name ?? ""}`.trim() };
    b.feet.push(foot);
    const rows = [
      ...(many > 1 && ways.length > 0 ? [ways] : ways.map((w) => [w])).map((list) => ({ list, ghost: false })),
      ...(many > 1 && ghosts.length > 0 ? [ghosts] : ghosts.map((w) => [w])).map((list) => ({ list, ghost: true })),
    ];
    rows.forEach(({ list, ghost }, k) => {
      l.thread(list, foot.y + k * lineGap, to, ghost, depth);
    });
    l.y += lineGap * Math.max(1, rows.length);
  });
  l.y += blockGap;
}

/** bows joins eyelets of the outermost router that want the same port. */
function bows(p: Picture) {
  const last = new Map<string, Eye>();
  for (const e of p.eyes) {
    if (!e.clash || e.ghost) continue;
    for (const proto of e.protocol === "both" ? ["tcp", "udp"] : [e.protocol]) {
      const key = `${e.band} ${proto} ${lowest(e.ports)}`;
      const other = last.get(key);
      if (other && !p.bows.some((b) => b.from === other.y && b.to === e.y))
        p.bows.push({ key: `${e.key} bow`, from: other.y, to: e.y, says: `both want ${lowest(e.ports)}` });
      last.set(key, e);
    }
  }
}

/** number puts the eyelets in the order of their ports, so that one can be found by its number; threads then cross. */
function number(p: Picture) {
  p.bows.length = 0;
  const sorted = [...p.eyes].sort(
    (x, y) => lowest(x.ports) - lowest(y.ports) || x.protocol.localeCompare(y.protocol) || x.y - y.y,
  );
  const gap = Math.max(lineGap, Math.min(62, (p.height - top) / Math.max(1, sorted.length)));
  sorted.forEach((e, i) => {
    e.y = top + i * gap;
  });
  p.height = Math.max(p.height, (sorted.at(-1)?.y ?? 0) + 24);
  bows(p);
}

/** inSight leaves of a picture what a window of it shows. */
export function inSight(p: Picture, lo: number, hi: number): Picture {
  const meets = (from: number, to: number) => Math.min(from, to) <= hi && Math.max(from, to) >= lo;
  return {
    ...p,
    eyes: p.eyes.filter((e) => meets(e.y, e.y)),
    blocks: p.blocks.flatMap((b) => {
      const feet = b.feet.filter((f) => meets(f.y, f.y));
      return feet.length > 0 || meets(b.y, b.y) ? [{ ...b, feet }] : [];
    }),
    threads: p.threads.filter((t) => meets(t.from.y, t.to?.y ?? t.from.y)),
  };
}

/** Columns of the picture: the eyelets, the bands of routers in a row, and the devices. */
export type Columns = { eye: number; foot: number; band: (depth: number) => { x: number; w: number } };

/** columnsOf divides a width among the columns, for so many routers in a row. */
export function columnsOf(width: number, depths: number): Columns {
  const eye = Math.min(150, Math.max(120, width * 0.18));
  const foot = Math.max(width * 0.58, width - 330);
  const room = (foot - eye) * (depths > 1 ? 0.86 : 0.68);
  const from = eye + (foot - eye) * (depths > 1 ? 0.12 : 0.26);
  const w = Math.min(120, (room / depths) * 0.5);
  return { eye, foot, band: (depth) => ({ x: from + (room / depths) * depth, w }) };
}

/** path leads a thread from its eyelet through the routers to its device. */
export function path(t: { from: Eye }, toY: number, c: Columns, legs: number): string {
  const first = c.band(t.from.band);
  const start = t.from.band === 0 ? c.eye + 8 : first.x - 18;
  const last = c.band(t.from.band + Math.max(0, legs - 1));
  const out = first.x + first.w;
  const mid = (first.x + out) / 2;
  if (t.from.y === toY) return `M${start} ${t.from.y}H${c.foot - 6}`;
  return `M${start} ${t.from.y}H${first.x}C${mid} ${t.from.y} ${mid} ${toY} ${out} ${toY}H${Math.max(last.x, out)}H${c.foot - 6}`;
}
