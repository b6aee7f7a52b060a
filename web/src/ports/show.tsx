import { Button, Flex } from "@chakra-ui/react";
import { useMemo } from "react";
import type { Answer, Router } from "../api/model";
import { useSite } from "../api/site";
import { Select } from "../parts";
import { Shelf, useKept } from "../parts/kept";
import { indexOf, servesOf } from "../parts/words";
import type { Member } from "./fold";
import type { Show } from "./geometry";
import { chainOf } from "./ways";

/** Left is what the picture leaves out: what is not of this state, protocol, kind and place. */
type Left = { state?: State; protocol?: "tcp" | "udp"; kind?: string; place?: string };
type State = "clash" | "unmet" | "differs";
type Kept = { byNumber: boolean; unfolded: string[]; left: Left };

const fresh: Kept = { byNumber: false, unfolded: [], left: {} };
const shelf = new Shelf<Kept>();

const mostKinds = 6;

/** statesOf are the services with a clash, with nothing that leads to them yet, or that the router holds otherwise. */
function statesOf(a: Answer): Record<State, Set<string>> {
  const { targets } = indexOf(a);
  const serviceOf = (id: string) => {
    const f = a.site.forwards.find((x) => x.id === id);
    return f?.service || targets.get(id)?.service || "";
  };
  const of = (ids: string[]) => new Set(ids.map(serviceOf).filter(Boolean));
  return {
    clash: of(a.targets.filter((t) => t.clash).map((t) => t.forward)),
    unmet: new Set(a.unmet),
    differs: of(a.held.flatMap((h) => h.differs.flatMap((d) => d.forward ?? []))),
  };
}

/** useShow is how the picture of a router is drawn, kept with the site. */
export function useShow(router: Router | undefined, pick: string | undefined) {
  const a = useSite();
  const [kept, keep] = useKept(shelf, "ports", fresh);
  const states = useMemo(() => statesOf(a), [a]);
  const show = useMemo((): Show => {
    const { left } = kept;
    const of = left.state && states[left.state];
    const test = (m: Member) =>
      (!of || m.services.some((s) => of.has(s.id))) &&
      (!left.protocol || m.services.some((s) => s.protocol === "both" || s.protocol === left.protocol)) &&
      (!left.kind || m.device.kind === left.kind) &&
      (!left.place || m.device.place === left.place);
    return { byNumber: kept.byNumber, unfolded: kept.unfolded, pick, test };
  }, [kept, states, pick]);
  const set = (next: Partial<Kept>) => keep({ ...kept, ...next });
  return { router, kept, set, states, show, unfold: (key: string) => set({ unfolded: [...kept.unfolded, key] }) };
}

export type Showing = ReturnType<typeof useShow>;

/** Chips choose what the picture shows, and in which order its eyelets stand. */
export function Chips({ showing: { router, kept, set, states } }: { showing: Showing }) {
  const a = useSite();
  const { left } = kept;
  const facts = useMemo(() => factsOf(a, router), [a, router]);
  const toggle = (next: Left) => set({ left: { ...left, ...next } });
  const any = Object.values(left).some(Boolean);
  const chip = (label: string, on: boolean, onClick: () => void) => (
    <Button key={label} variant="subtle" size="xs" aria-pressed={on} onClick={onClick}>
      {label}
    </Button>
  );
  const state = (id: State, label: string) =>
    states[id].size > 0 &&
    chip(`${label} ${states[id].size}`, left.state === id, () => toggle({ state: left.state === id ? undefined : id }));
  return (
    <Flex className="filters no-print" role="group" aria-label="What the picture shows">
      {chip(`All ${facts.count}`, !any, () => set({ left: {} }))}
      {state("clash", "Clashes")}
      {state("unmet", "To open")}
      {state("differs", "Differs in the router")}
      {(["tcp", "udp"] as const).map((p) =>
        chip(p, left.protocol === p, () => toggle({ protocol: left.protocol === p ? undefined : p })),
      )}
      {facts.kinds.map(([kind, n]) =>
        chip(`${kind} ${n}`, left.kind === kind, () => toggle({ kind: left.kind === kind ? undefined : kind })),
      )}
      {facts.places.length > 1 && (
        <Select
          aria-label="Place"
          width="auto"
          size="xs"
          value={left.place ?? ""}
          onChange={(e) => toggle({ place: e.currentTarget.value || undefined })}
          options={[["", "Any place"], ...facts.places.map((p): [string, string] => [p, p])]}
        />
      )}
      {chip("In order of number", kept.byNumber, () => set({ byNumber: !kept.byNumber }))}
      {kept.unfolded.length > 0 && chip("Fold all", false, () => set({ unfolded: [] }))}
    </Flex>
  );
}

/** factsOf counts what there is to choose from behind a router. */
function factsOf(a: Answer, router: Router | undefined) {
  const networks = new Set(router ? chainOf(a, router).flatMap(servesOf) : []);
  const kinds = new Map<string, number>();
  const places = new Set<string>();
  let count = 0;
  for (const d of a.site.devices) {
    const here = d.services.filter((s) =>
      d.interfaces.some((i) => i.id === s.interface && networks.has(i.network)),
    ).length;
    if (here === 0) continue;
    count += here;
    if (d.kind) kinds.set(d.kind, (kinds.get(d.kind) ?? 0) + 1);
    if (d.place) places.add(d.place);
  }
  const top = [...kinds].sort((x, y) => y[1] - x[1]).slice(0, mostKinds);
  return { count, kinds: top.length > 1 ? top : [], places: [...places].sort() };
}
