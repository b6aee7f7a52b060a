import type { Answer, Forward, Router } from "../api/model";
import { indexOf } from "../parts/words";

/** Way is a forward next to the devices, with those of the routers in front that lead to it, the outermost first. */
export type Way = { forward: Forward; legs: Forward[] };

/** roots are the routers that face the provider, each with those behind it, from outside inwards. */
export function chainOf(a: Answer, root: Router): Router[] {
  const behind = (r: Router): Router[] => [
    r,
    ...a.site.routers.filter((o) => o.upstream === r.id && o.id !== root.id).flatMap(behind),
  ];
  return behind(root);
}

/** rootsOf are the routers that no other stands in front of. */
export function rootsOf(a: Answer): Router[] {
  const roots = a.site.routers.filter((r) => !r.upstream);
  return roots.length > 0 ? roots : a.site.routers.slice(0, 1);
}

/**
 * waysOf follows each forward outwards. One that leads to a router behind, and that another there goes
 * on from, is a leg of that way.
 */
export function waysOf(a: Answer, chain: Router[], forwards: Forward[]): Way[] {
  const { targets } = indexOf(a);
  const byId = new Map(forwards.map((f) => [f.id, f]));
  const here = new Set(chain.map((r) => r.id));
  const legs = new Set<string>();
  const ways = forwards.flatMap((forward): Way[] => {
    if (!here.has(forward.router)) return [];
    const all = [forward];
    for (let f = forward; all.length <= chain.length; ) {
      const next = byId.get(targets.get(f.id)?.outer ?? "");
      if (!next || all.includes(next)) break;
      legs.add(next.id);
      all.unshift(next);
      f = next;
    }
    return [{ forward, legs: all }];
  });
  return ways.filter((w) => !legs.has(w.forward.id));
}
