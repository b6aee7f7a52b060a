import type { Answer, Device, Difference, Guess, Live, Snag } from "../api/model";
import { indexOf, number } from "../parts/words";

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
  /** the snag that is most worth telling */
  snag?: Snag;
  /** where it was at the visit before the last one, and where it was seen last */
  before: string;
  now: string;
};

const rank = ["swapped", "moved", "elsewhere", "renamed", "new", "gone"];

/** rowsOf joins the devices of the site with those of a sweep that goes on. */
export function rowsOf(answer: Answer, live: Live | undefined): DeviceRow[] {
  const { snags } = indexOf(answer);
  const makers = new Map(answer.makers.map((m) => [m.interface, m.name]));
  const guesses = new Map(answer.guesses.map((g) => [g.device, g]));
  const random = new Set(answer.randomised);
  const needs = new Set(answer.needPin);
  const swaps = new Set(answer.offers.flatMap((o) => (o.kind === "together" ? [] : [o.old, o.new])));
  const fresh = new Set(live?.new);
  const current = new Map(live?.devices.map((d) => [d.id, d]));
  const earlier = new Map(answer.site.visits.at(-2)?.seen.map((s) => [s.interface, s.address ?? ""]));
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
    snag: snags.get(`device:${device.id}`)?.find((s) => s.weight !== "note"),
    before: device.interfaces.map((i) => earlier.get(i.id)).find(Boolean) ?? "",
    now: device.interfaces.find((i) => i.seen)?.seen ?? "",
  });
  const known = answer.site.devices.map((d) => row(current.get(d.id) ?? d));
  const ids = new Set(answer.site.devices.map((d) => d.id));
  return known.concat((live?.devices ?? []).filter((d) => !ids.has(d.id)).map(row));
}

export const shows = ["all", "unnamed", "new", "moved", "gone", "needs"] as const;
export type Show = (typeof shows)[number];

export const showWords: Record<Show, string> = {
  all: "Everything",
  unnamed: "No name",
  new: "New",
  moved: "Moved or swapped",
  gone: "Gone",
  needs: "Needs a pin",
};

export const tests: Record<Show, (r: DeviceRow) => boolean> = {
  all: () => true,
  unnamed: (r) => !r.device.name,
  new: (r) => r.live === "new" || r.difference?.what === "new",
  moved: (r) => r.swap || ["moved", "swapped", "renamed"].includes(r.difference?.what ?? ""),
  gone: (r) => r.difference?.what === "gone",
  needs: (r) => r.needs,
};

/** The filters of the list of devices, by their names. */
export const filters = [
  { id: "show", test: (r: DeviceRow, word: string) => tests[shows.find((s) => s === word) ?? "all"](r) },
  { id: "kind", test: (r: DeviceRow, word: string) => (r.device.kind || "none") === word },
  { id: "place", test: (r: DeviceRow, word: string) => (r.device.place || "none") === word },
];

/** wrong tells whether somebody is where it should not be. */
export const wrong = (r: DeviceRow) =>
  r.swap ||
  ["moved", "swapped", "elsewhere"].includes(r.difference?.what ?? "") ||
  (r.snag?.weight === "stops" && r.snag.family === "addresses");

/** seenAt is what a row is ordered by: its address as a number. */
export const seenAt = (r: DeviceRow) => (r.now ? number(r.now) : undefined);
