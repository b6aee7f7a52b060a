import type { Answer, Device, Difference, Guess, Live } from "../api/model";
import { number } from "../parts/words";

/** A row is a device with what is believed of it. */
export type DeviceRow = {
  device: Device;
  guess?: Guess;
  maker: string;
  randomised: boolean;
  difference?: Difference;
  /** What the sweep that goes on says of it. */
  live?: "new" | "answered";
  swap: boolean;
  needs: boolean;
};

export type Show = "all" | "unnamed" | "new" | "moved" | "gone" | "needs";

const rank = ["swapped", "moved", "elsewhere", "renamed", "new", "gone"];

/** rowsOf joins the devices of the site with those of a sweep that goes on. */
export function rowsOf(answer: Answer, live: Live | undefined): DeviceRow[] {
  const makers = new Map(answer.makers.map((m) => [m.interface, m.name]));
  const guesses = new Map(answer.guesses.map((g) => [g.device, g]));
  const random = new Set(answer.randomised);
  const needs = new Set(answer.needPin);
  const swaps = new Set(answer.offers.flatMap((o) => (o.kind === "together" ? [] : [o.old, o.new])));
  const fresh = new Set(live?.new);
  const current = new Map(live?.devices.map((d) => [d.id, d]));
  const differences = new Map<string, Difference>();
  for (const d of answer.differences) {
    const old = d.device && differences.get(d.device);
    if (d.device && (!old || rank.indexOf(d.what) < rank.indexOf(old.what))) differences.set(d.device, d);
  }
  const row = (device: Device): DeviceRow => ({
    device,
    guess: guesses.get(device.id),
    maker: device.interfaces.map((i) => makers.get(i.id)).find(Boolean) ?? "",
    randomised: device.interfaces.some((i) => random.has(i.id)),
    difference: differences.get(device.id),
    live: fresh.has(device.id) ? "new" : current.has(device.id) ? "answered" : undefined,
    swap: swaps.has(device.id),
    needs: device.interfaces.some((i) => needs.has(i.id)),
  });
  const known = answer.site.devices.map((d) => row(current.get(d.id) ?? d));
  const ids = new Set(answer.site.devices.map((d) => d.id));
  return known.concat((live?.devices ?? []).filter((d) => !ids.has(d.id)).map(row));
}

const tests: Record<Show, (r: DeviceRow) => boolean> = {
  all: () => true,
  unnamed: (r) => !r.device.name,
  new: (r) => r.live === "new" || r.difference?.what === "new",
  moved: (r) => r.swap || ["moved", "swapped", "renamed"].includes(r.difference?.what ?? ""),
  gone: (r) => r.difference?.what === "gone",
  needs: (r) => r.needs,
};

export type Choice = { show: Show; kind: string; place: string };

/** chosen are the rows that a choice of filters lets through. */
export function chosen(rows: DeviceRow[], { show, kind, place }: Choice): DeviceRow[] {
  return rows.filter(
    (r) =>
      tests[show](r) &&
      (kind === "" || (r.device.kind || "none") === kind) &&
      (place === "" || (r.device.place || "none") === place),
  );
}

/** count says how many rows each filter would show. */
export const count = (rows: DeviceRow[], show: Show) => rows.filter(tests[show]).length;

export type Column = "name" | "kind" | "place" | "maker" | "seen" | "mac";
export type Order = { by: Column; down: boolean };

const natural = new Intl.Collator(undefined, { numeric: true, sensitivity: "base" });

const value: Record<Exclude<Column, "seen">, (r: DeviceRow) => string> = {
  name: (r) => r.device.name ?? "",
  kind: (r) => r.device.kind || r.guess?.kind || "",
  place: (r) => r.device.place ?? "",
  maker: (r) => r.maker,
  mac: (r) => r.device.interfaces[0]?.mac ?? "",
};

/** sorted puts rows in order; what has nothing in the column comes last either way. */
export function sorted(rows: DeviceRow[], order: Order | undefined): DeviceRow[] {
  if (!order) return rows;
  const sign = order.down ? -1 : 1;
  const by = order.by;
  if (by === "seen") {
    const at = (r: DeviceRow) => {
      const seen = r.device.interfaces.find((i) => i.seen)?.seen;
      return seen ? number(seen) : undefined;
    };
    return rows.toSorted((a, b) => {
      const [x, y] = [at(a), at(b)];
      return x === undefined ? (y === undefined ? 0 : 1) : y === undefined ? -1 : sign * (x - y);
    });
  }
  return rows.toSorted((a, b) => {
    const [x, y] = [value[by](a), value[by](b)];
    return x === "" ? (y === "" ? 0 : 1) : y === "" ? -1 : sign * natural.compare(x, y);
  });
}
