import { Box } from "@chakra-ui/react";
import { type KeyboardEvent, memo, type PointerEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Answer, Forward, LinkEnd, Router, Service } from "../api/model";
import { useSite } from "../api/site";
import { usePick } from "../parts/pick";
import { useSight } from "../parts/sight";
import { useWidth } from "../parts/width";
import { indexOf, ownerOf } from "../parts/words";
import { fill, stroke } from "../theme/plain";
import { type Columns, columnsOf, draw, type Eye, type Foot, inSight, type Picture, type Show } from "./geometry";
import { useLinkEnds } from "./links";
import { Ruler } from "./ruler";
import { BowMark, clip, DeviceBlock, Eyelet, Strand } from "./strands";

type Props = {
  router: Router;
  ghosts: Forward[];
  show: Show;
  /** the forwards that a walked packet takes */
  walked: string[];
  onUnfold: (key: string) => void;
  onPull: (foot: Foot, eye: Eye | undefined) => void;
};

/** Threads draws outside ports, the routers in a row and device ports, and the threads between them. */
export function Threads({ router, ghosts, show, walked, onUnfold, onPull }: Props) {
  const a = useSite();
  const [pick, setPick] = usePick();
  const [box, width] = useWidth<HTMLDivElement>(800);
  const svg = useRef<SVGSVGElement>(null);
  const [lo, hi] = useSight(box);
  const whole = useMemo(() => draw(a, router, ghosts, show), [a, router, ghosts, show]);
  const picture = useMemo(() => inSight(whole, lo, hi), [whole, lo, hi]);
  const depths = Math.max(...whole.bands.map((b) => b.depth)) + 1;
  const c = useMemo(() => columnsOf(width - rulerRoom, depths), [width, depths]);
  const pull = usePull(svg, whole, c, setPick, onPull, onUnfold);
  const road = useRoad(whole, pick);
  useEffect(() => {
    const y = road.shown ? road.active?.y : undefined;
    const top = svg.current?.getBoundingClientRect().top;
    if (y === undefined || top === undefined) return;
    const work = svg.current?.closest(".work");
    const at = top + y;
    if (at < 140 || at > window.innerHeight - 60) work?.scrollBy({ top: at - window.innerHeight / 2 });
  }, [road.active, road.shown]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new pick is brought into sight
  useEffect(() => {
    const stop = road.all.find((s) => s.ref === pick);
    const top = svg.current?.getBoundingClientRect().top;
    if (!stop || top === undefined || road.shown) return;
    if (top + stop.y < 100 || top + stop.y > window.innerHeight - 40)
      svg.current?.closest(".work")?.scrollBy({ top: top + stop.y - window.innerHeight / 2 });
  }, [pick]);
  const keys = (e: KeyboardEvent) => {
    if (e.key === "ArrowDown" || e.key === "ArrowUp") road.go(e.key === "ArrowDown" ? 1 : -1);
    else if (e.key === "ArrowLeft" || e.key === "ArrowRight") road.side(e.key === "ArrowLeft" ? "eyes" : "feet");
    else if (e.key === "Enter" && road.active?.fold) onUnfold(road.active.fold);
    else if (e.key === "Enter" && road.active?.ref) setPick(road.active.ref);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <Box ref={box} w="100%" flex="none" className="threads">
      <Ruler picture={whole} />
      <svg
        ref={svg}
        width={width - rulerRoom}
        height={whole.height}
        role="listbox"
        tabIndex={0}
        aria-label={`Threads through ${router.name || "the router"}: arrows go from port to port, Enter picks`}
        aria-activedescendant={road.shown ? road.active?.id : undefined}
        onKeyDown={keys}
        onFocus={() => road.show(true)}
        onBlur={() => road.show(false)}
        onPointerDown={pull.down}
        onPointerMove={pull.move}
        onPointerUp={pull.up}
        onPointerCancel={pull.cancel}
        className="picture"
        data-threads
      >
        <g className={`t12 ${fill("muted")}`} aria-hidden="true">
          <text x="0" y="12">
            Outside port
          </text>
          <text x={c.foot + 12} y="12">
            Device and its port
          </text>
          {whole.bands.map((b) => {
            const at = c.band(b.depth);
            return (
              <g key={b.router.id} data-band={b.router.id}>
                <rect
                  x={at.x}
                  y={b.depth === 0 ? 20 : b.top + 4}
                  width={at.w}
                  height={Math.max(24, b.bottom - (b.depth === 0 ? 20 : b.top + 4))}
                  rx="8"
                  className={`${fill("body")} ${stroke("hair")}`}
                />
                <text x={at.x + at.w / 2} y={b.depth === 0 ? 12 : b.top} textAnchor="middle">
                  {clip(b.router.name || "Router", at.w + 60)}
                </text>
              </g>
            );
          })}
        </g>
        <Woven
          a={a}
          picture={picture}
          c={c}
          width={width - rulerRoom}
          pick={pick}
          active={road.shown ? road.active?.id : undefined}
          near={pull.eye?.key}
          walked={walked}
        />
        {pull.at && <Pulling at={pull.at} eye={pull.eye} c={c} a={a} />}
      </svg>
    </Box>
  );
}

/** rulerRoom is what the ruler of ports takes of the width, in CSS pixels. */
const rulerRoom = 54;

type WovenProps = {
  a: Answer;
  picture: Picture;
  c: Columns;
  width: number;
  pick: string | undefined;
  active: string | undefined;
  near: string | undefined;
  walked: string[];
};

/** Woven is all of the picture but what the hand holds. */
const Woven = memo(function Woven({ a, picture, c, width, pick, active, near, walked }: WovenProps) {
  const owner = pick?.startsWith("device:") ? ownerOf(pick, a.site) : undefined;
  const unmet = useMemo(() => new Set(a.unmet), [a]);
  const ends = useLinkEnds();
  const links = useMemo(() => new Map(ends.map((e): [string, LinkEnd] => [e.service ?? e.interface ?? "", e])), [ends]);
  const picked = (f: Forward, ids: string[]) =>
    ids.some((id) => pick === `forward:${id}`) ||
    (f.service !== undefined && pick === `service:${f.service}`) ||
    Boolean(owner?.interfaces.some((i) => i.id === f.to));
  const service = pick?.startsWith("service:") ? pick.slice("service:".length) : undefined;
  const foot = active?.startsWith("foot-") ? active.slice("foot-".length) : undefined;
  const has = (feet: Foot[], id: string | undefined) => (feet.some((f) => f.service.id === id) ? id : undefined);
  return (
    <>
      {picture.threads.map((t) => (
        <Strand
          key={(t.ghost ? "ghost " : "") + t.forward.id}
          thread={t}
          c={c}
          link={links.get(t.forward.service || indexOf(a).targets.get(t.forward.id)?.service || "")}
          picked={!t.ghost && picked(t.forward, t.ids)}
          active={active === `thread-${t.forward.id}`}
          walked={!t.ghost && t.ids.some((id) => walked.includes(id))}
        />
      ))}
      {picture.eyes.map((e) => (
        <Eyelet
          key={e.key}
          eye={e}
          x={e.band === 0 ? c.eye : c.band(e.band).x - 26}
          near={near === e.key}
          active={active === `eye-${e.key}`}
        />
      ))}
      {picture.bows.map((b) => (
        <BowMark key={b.key} bow={b} x={c.eye} />
      ))}
      {picture.blocks.map((b) => (
        <DeviceBlock
          key={b.key}
          block={b}
          x={c.foot}
          width={width}
          picked={has(b.feet, service)}
          active={has(b.feet, foot)}
          unmet={unmet}
          links={links}
          folding={active === `fold-${b.key}`}
        />
      ))}
    </>
  );
});

type At = { foot: Foot; x: number; y: number; far: boolean };

/** verdict says while a thread is held what it comes to to let it go at an eyelet: free, taken by whom, the router's own. */
function verdict(a: Answer, service: Service, eye: Eye | undefined): { says: string; bad: boolean } {
  if (!eye) return { says: `open at ${service.ports}`, bad: false };
  if (eye.own) return { says: `${eye.ports} is the router's own`, bad: true };
  const other = a.site.forwards.find((f) => eye.forwards.includes(f.id) && f.service !== service.id);
  const mine = a.site.forwards.some((f) => eye.forwards.includes(f.id) && f.service === service.id);
  const meets =
    other && (other.protocol === "both" || service.protocol === "both" || other.protocol === service.protocol);
  if (mine) return { says: `${eye.ports}, as it is`, bad: false };
  if (!other || !meets) return { says: `open at ${eye.ports}, free`, bad: false };
  return { says: `${eye.ports} is taken by ${other.name || "another forward"}`, bad: true };
}

function Pulling({ at, eye, c, a }: { at: At; eye: Eye | undefined; c: Columns; a: Answer }) {
  const s = at.foot.service;
  const { says, bad } = at.x >= c.band(0).x ? { says: "", bad: false } : verdict(a, s, eye);
  return (
    <g pointerEvents="none" className="hollow" data-pulling>
      <path
        d={`M${c.foot} ${at.foot.y}L${at.x} ${at.y}`}
        className={stroke("chalk")}
        strokeWidth="2"
        strokeDasharray={s.protocol === "udp" ? "6 4" : undefined}
      />
      <text x={at.x + 10} y={at.y - 8} className={`t13 bold haloed ${fill(bad ? "madder" : "chalk")}`}>
        {says}
      </text>
    </g>
  );
}

/** How far from the foot a hand must be before it pulls, in CSS pixels. */
const slack = 17;

/** usePull pulls a thread from a foot with the pointer, which stays captured; Escape stops it. */
function usePull(
  svg: React.RefObject<SVGSVGElement | null>,
  picture: Picture,
  c: Columns,
  setPick: (ref: string) => void,
  onPull: Props["onPull"],
  onUnfold: Props["onUnfold"],
) {
  const [at, setAt] = useState<At>();
  const held = at !== undefined;
  useEffect(() => {
    if (!held) return;
    const onKey = (e: globalThis.KeyboardEvent) => {
      if (e.key !== "Escape") return;
      e.preventDefault();
      e.stopPropagation();
      setAt(undefined);
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [held]);
  const eyeAt = (x: number, y: number) =>
    x < c.band(0).x ? picture.eyes.find((e) => e.band === 0 && Math.abs(e.y - y) < 13) : undefined;
  const point = (e: PointerEvent) => {
    const r = svg.current?.getBoundingClientRect();
    return { x: e.clientX - (r?.left ?? 0), y: e.clientY - (r?.top ?? 0) };
  };
  const down = (e: PointerEvent) => {
    if (e.button !== 0 || !(e.target instanceof Element)) return;
    const on = (name: string) =>
      e.target instanceof Element && e.target.closest<SVGElement>(`[data-${name}]`)?.dataset[name];
    const foot = picture.blocks.flatMap((b) => b.feet).find((f) => f.service.id === on("foot"));
    if (foot) {
      svg.current?.setPointerCapture(e.pointerId);
      setAt({ foot, ...point(e), far: false });
      return;
    }
    const fold = on("unfold");
    if (fold) return onUnfold(fold);
    const eye = picture.eyes.find((x) => x.key === on("eye"));
    const forward = on("thread") || eye?.forwards[0];
    if (forward) setPick(`forward:${forward}`);
  };
  /** under is where a held thread is with the pointer at an event: the last move may not be drawn yet. */
  const under = (old: At, e: PointerEvent): At => {
    const p = point(e);
    return { foot: old.foot, ...p, far: old.far || Math.hypot(p.x - c.foot, p.y - old.foot.y) > slack };
  };
  const move = (e: PointerEvent) => at && setAt(under(at, e));
  const up = (e: PointerEvent) => {
    if (!at) return;
    const { foot, x, y, far } = under(at, e);
    setAt(undefined);
    const inside = x > -24 && y > -24 && y < picture.height + 24;
    if (far && x < c.band(0).x && inside) onPull(foot, eyeAt(x, y));
    else if (!far || x > c.foot - 12) setPick(`service:${foot.service.id}`);
  };
  return { at: at?.far ? at : undefined, eye: at && eyeAt(at.x, at.y), down, move, up, cancel: () => setAt(undefined) };
}

type Stop = { id: string; ref?: string; fold?: string; y: number };

/** useRoad is the way by keyboard: down the outside ports in their order, or down the devices' own ports. */
function useRoad(picture: Picture, pick: string | undefined) {
  const [side, setSide] = useState<"eyes" | "feet">("eyes");
  const [id, setId] = useState<string>();
  const [shown, show] = useState(false);
  const roads = useMemo(() => {
    const at = new Map<string, Stop[]>();
    for (const t of picture.threads)
      if (!t.ghost)
        at.set(t.from.key, [
          ...(at.get(t.from.key) ?? []),
          { id: `thread-${t.forward.id}`, ref: `forward:${t.forward.id}`, y: t.from.y },
        ]);
    const eyes = picture.eyes.flatMap((e): Stop[] =>
      e.own || e.alone ? [{ id: `eye-${e.key}`, y: e.y }] : (at.get(e.key) ?? []),
    );
    const feet = picture.blocks.flatMap((b): Stop[] => [
      ...(b.count > 1 ? [{ id: `fold-${b.key}`, fold: b.key, y: b.y }] : []),
      ...b.feet.map((f) => ({ id: `foot-${f.service.id}`, ref: `service:${f.service.id}`, y: f.y })),
    ]);
    return { eyes, feet };
  }, [picture]);
  const road = roads[side].length > 0 ? roads[side] : roads[side === "eyes" ? "feet" : "eyes"];
  const at = Math.max(
    0,
    road.findIndex((s) => (id ? s.id === id : s.ref !== undefined && s.ref === pick)),
  );
  return {
    all: [...roads.eyes, ...roads.feet],
    active: road[at],
    shown,
    show,
    go: (way: number) => setId(road[Math.max(0, Math.min(road.length - 1, at + way))]?.id),
    side: (to: "eyes" | "feet") => {
      setSide(to);
      setId(undefined);
    },
  };
}
