import type { components } from "./schema";

type Schemas = components["schemas"];

/** Filled makes every list present: the wire leaves empty ones out. */
export type Filled<T> = T extends (infer U)[]
  ? Filled<U>[]
  : T extends object
    ? { [K in keyof T as NonNullable<T[K]> extends unknown[] ? K : never]-?: Filled<NonNullable<T[K]>> } & {
        [K in keyof T as NonNullable<T[K]> extends unknown[] ? never : K]: Filled<T[K]>;
      }
    : T;

export type Answer = Filled<Schemas["Answer"]>;
export type Site = Answer["site"];
export type Network = Filled<Schemas["Network"]>;
export type Router = Filled<Schemas["Router"]>;
export type Device = Filled<Schemas["Device"]>;
export type Interface = Filled<Schemas["Interface"]>;
export type Service = Filled<Schemas["Service"]>;
export type Forward = Filled<Schemas["Forward"]>;
export type OwnPort = Schemas["OwnPort"];
export type Snag = Filled<Schemas["Snag"]>;
export type Group = Filled<Schemas["Group"]>;
export type Step = Filled<Schemas["Step"]>;
export type Summary = Schemas["Summary"];
export type Preview = Filled<Schemas["Preview"]>;
export type Evidence = Filled<Schemas["Evidence"]>;
export type Visit = Filled<Schemas["Visit"]>;
export type Maker = Schemas["Maker"];
export type Offer = Filled<Schemas["Offer"]>;
export type Guess = Filled<Schemas["GuessOf"]>;
export type Difference = Schemas["Difference"];
export type SurveyState = Filled<Schemas["SurveyState"]>;
export type Live = { state: SurveyState; devices: Device[]; new: string[] };
export type Freedom = Schemas["Freedom"];
export type Suggestion = Filled<Schemas["SuggestResponse"]>;
export type Fate = Filled<Schemas["Fate"]>;
export type Taken = Schemas["Taken"];
/** An edit is sent as the wire has it, with empty lists left out. */
export type Edit = Schemas["Edit"];
export type By = "reservation" | "device" | "both";
export type Protocol = "tcp" | "udp" | "both";

const lists: Record<string, string[]> = {
  site: ["networks", "routers", "devices", "forwards", "done", "visits", "makers"],
  networks: ["dns", "ranges", "bands", "keepFree", "dhcpServers"],
  bands: ["kinds"],
  routers: ["ownPorts"],
  form: ["protocols"],
  devices: ["interfaces", "services"],
  interfaces: ["evidence"],
  evidence: ["traits"],
  visits: ["seen"],
  services: ["canSetTo"],
  open: ["from"],
  forwards: ["from"],
};

type Loose = Record<string, unknown>;

/** fill puts in the lists that the wire leaves out, below the key of a thing. */
function fill(key: string, thing: unknown): unknown {
  if (Array.isArray(thing)) return thing.map((v) => fill(key, v));
  if (thing === null || typeof thing !== "object") return thing;
  const out: Loose = {};
  for (const [k, v] of Object.entries(thing)) out[k] = fill(k, v);
  for (const name of lists[key] ?? []) out[name] ??= [];
  if (key === "routers") out.form = fill("form", out.form ?? {});
  return out;
}

/** fillLive makes every list of a survey present. */
export function fillLive(live: Schemas["Live"]): Live {
  return { ...live, devices: fill("devices", live.devices) } as Live;
}

/** fillAnswer makes every list of a site present. The answer's own state of the routers is left alone. */
export function fillAnswer(answer: Schemas["Answer"]): Answer {
  return { ...answer, site: fill("site", answer.site) } as Answer;
}
