import { chakra } from "@chakra-ui/react";
import type { Router } from "../api/model";
import { useSite } from "../api/site";
import { Mono, Muted } from "../parts";
import { usePick } from "../parts/pick";
import { ifaceLabel, networkOf, placed, short } from "../parts/words";

/** ForwardTable says the same as the threads in rows. */
export function ForwardTable({ router }: { router: Router }) {
  const a = useSite();
  const [pick, setPick] = usePick();
  const all = placed(a.site);
  const forwards = a.site.forwards.filter((f) => f.router === router.id);
  if (forwards.length === 0) return <Muted>Nothing is forwarded at this router yet.</Muted>;
  return (
    <chakra.table aria-label="Forwards" fontSize="text">
      <thead>
        <chakra.tr fontSize="small" color="muted" borderBottom="1px solid" borderColor="hair">
          {["Forward", "Outside", "To", "Device port", "Worth knowing"].map((h) => (
            <chakra.th key={h} px="6px" py="5px">
              {h}
            </chakra.th>
          ))}
        </chakra.tr>
      </thead>
      <tbody>
        {forwards.map((f) => {
          const target = a.targets.find((t) => t.forward === f.id);
          const p = all.find((x) => x.iface.id === target?.interface);
          const inner = a.site.routers.find((r) => r.upstream && r.wan?.address === target?.address);
          const snag = a.snags.find((s) => s.about.includes(`forward:${f.id}`));
          const picked = pick === `forward:${f.id}` || (f.service && pick === `service:${f.service}`);
          return (
            <chakra.tr
              key={f.id}
              h="row"
              borderBottom="1px solid"
              borderColor="hair"
              bg={picked ? "brassSoft" : undefined}
              onClick={() => setPick(`forward:${f.id}`)}
              opacity={f.enabled ? 1 : 0.6}
              data-forward={f.id}
            >
              <chakra.td px="6px" maxW="230px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                <chakra.button type="button" fontWeight={700} aria-pressed={Boolean(picked)}>
                  {f.name || f.id}
                </chakra.button>
              </chakra.td>
              <chakra.td px="6px">
                <Mono>
                  {f.outside} <Muted>{f.protocol}</Muted>
                </Mono>
              </chakra.td>
              <chakra.td px="6px">
                {p ? ifaceLabel(p.device, p.iface) : inner?.name}{" "}
                <Mono color="muted">
                  {target?.address ? short(target.address, p && networkOf(a.site, p.iface.network)) : "loose"}
                </Mono>
              </chakra.td>
              <chakra.td px="6px">
                <Mono>{!f.inside || f.inside === f.outside ? "same" : f.inside}</Mono>
              </chakra.td>
              <chakra.td px="6px" fontSize="small" color={snag?.weight === "stops" ? "madder" : "muted"}>
                {[
                  !f.enabled && "switched off",
                  f.locked && "locked",
                  f.from.length > 0 && `only from ${f.from.join(", ")}`,
                  snag?.code.replaceAll("-", " "),
                ]
                  .filter(Boolean)
                  .join(" · ")}
              </chakra.td>
            </chakra.tr>
          );
        })}
      </tbody>
    </chakra.table>
  );
}
