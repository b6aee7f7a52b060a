import { chakra } from "@chakra-ui/react";
import { useRef, useState } from "react";
import type { Router } from "../api/model";
import { useSite } from "../api/site";
import { usePick } from "../parts/pick";
import { useWidth } from "../parts/width";
import { ownerOf } from "../parts/words";
import { columns, draw, type Eye, type Foot, path, type Thread } from "./geometry";

type Props = { router: Router; onPull: (foot: Foot, eye: Eye | undefined) => void };

/** Threads draws outside ports, the router and device ports, and the threads between them. */
export function Threads({ router, onPull }: Props) {
  const a = useSite();
  const [pick, setPick] = usePick();
  const [box, width] = useWidth<HTMLDivElement>(800);
  const svg = useRef<SVGSVGElement>(null);
  const [pull, setPull] = useState<{ foot: Foot; x: number; y: number }>();
  const picture = draw(a, router);
  const c = columns(width);
  const owner = ownerOf(pick, a.site);
  const isPicked = (t: Thread) =>
    pick === `forward:${t.forward.id}` ||
    (t.forward.service !== undefined && pick === `service:${t.forward.service}`) ||
    (pick?.startsWith("device:") && owner?.interfaces.some((i) => i.id === t.forward.to));
  const eyeAt = (y: number) => picture.eyes.find((e) => Math.abs(e.y - y) < 16);
  const locate = (e: React.PointerEvent) => {
    const r = svg.current?.getBoundingClientRect();
    return { x: e.clientX - (r?.left ?? 0), y: e.clientY - (r?.top ?? 0) };
  };
  const drop = () => {
    if (!pull) return;
    if (pull.x < c.box.x) onPull(pull.foot, eyeAt(pull.y));
    else setPick(`service:${pull.foot.service.id}`);
    setPull(undefined);
  };
  return (
    <chakra.div ref={box} w="100%">
      <chakra.svg
        ref={svg}
        width={width}
        height={picture.height}
        role="group"
        aria-label={`Threads through ${router.name || "the router"}`}
        display="block"
        overflow="visible"
        onPointerMove={(e) => pull && setPull({ ...pull, ...locate(e) })}
        onPointerUp={drop}
        onPointerCancel={() => setPull(undefined)}
        style={{ userSelect: "none", touchAction: "none" }}
        data-threads
      >
        <chakra.g fontSize="12px" fill="muted" aria-hidden="true">
          <chakra.text x="0" y="12" fill="muted">
            Outside port
          </chakra.text>
          <chakra.text x={c.box.x + c.box.w / 2} y="12" textAnchor="middle" fill="muted">
            {clip(router.name || "Router", c.box.w + 40)}
          </chakra.text>
          <chakra.text x={c.foot + 12} y="12" fill="muted">
            Device and its port
          </chakra.text>
        </chakra.g>
        <chakra.rect x={c.box.x} y="20" width={c.box.w} height={picture.height - 24} rx="8" fill="body" stroke="hair" />
        {picture.threads.map((t) => (
          <ThreadPath
            key={t.forward.id}
            thread={t}
            width={width}
            picked={Boolean(isPicked(t))}
            onPick={() => setPick(`forward:${t.forward.id}`)}
          />
        ))}
        {picture.threads
          .filter((t) => t.renumbered && t.to)
          .map((t) => (
            <Renumber key={t.forward.id} thread={t} width={width} />
          ))}
        {picture.eyes.map((e) => (
          <Eyelet
            key={e.key}
            eye={e}
            x={c.eye}
            near={Boolean(pull && pull.x < c.box.x && eyeAt(pull.y) === e)}
            onPick={() => e.forwards[0] && setPick(`forward:${e.forwards[0]}`)}
          />
        ))}
        {picture.blocks.map((b) => (
          <chakra.g key={b.key}>
            <chakra.text x={c.foot + 12} y={b.y + 4} fontSize="14px" fontWeight="700" fill="ink">
              {clip(b.title, width - c.foot - 24 - b.address.length * 9)}
              <chakra.tspan fontWeight="400" fontFamily="mono" fill="muted">
                {" "}
                {b.address}
              </chakra.tspan>
            </chakra.text>
            {b.feet.map((f) => (
              <FootMark
                key={f.service.id}
                foot={f}
                x={c.foot}
                room={width - c.foot}
                picked={pick === `service:${f.service.id}`}
                unmet={a.unmet.includes(f.service.id)}
                onDown={(e) => {
                  svg.current?.setPointerCapture?.(e.pointerId);
                  setPull({ foot: f, ...locate(e) });
                }}
                onPick={() => setPick(`service:${f.service.id}`)}
              />
            ))}
          </chakra.g>
        ))}
        {pull && (
          <chakra.g pointerEvents="none">
            <chakra.path
              d={`M${c.foot} ${pull.foot.y}L${pull.x} ${pull.y}`}
              stroke="chalk"
              strokeWidth="2"
              strokeDasharray={pull.foot.service.protocol === "udp" ? "6 4" : undefined}
              fill="none"
            />
            {pull.x < c.box.x && (
              <chakra.text
                x={pull.x + 10}
                y={pull.y - 8}
                fontSize="13px"
                fontWeight="700"
                fill="chalk"
                paintOrder="stroke"
                stroke="linen"
                strokeWidth="4"
              >
                {eyeAt(pull.y) ? `open at ${eyeAt(pull.y)?.ports}` : `open at ${pull.foot.service.ports}`}
              </chakra.text>
            )}
          </chakra.g>
        )}
      </chakra.svg>
    </chakra.div>
  );
}

const clip = (text: string, room: number) =>
  text.length * 7 > room ? `${text.slice(0, Math.max(4, Math.floor(room / 7) - 1))}…` : text;

function ThreadPath({
  thread: t,
  width,
  picked,
  onPick,
}: {
  thread: Thread;
  width: number;
  picked: boolean;
  onPick: () => void;
}) {
  const c = columns(width);
  const d = t.to ? path(t.from.y, t.to.y, width) : `M${c.eye + 8} ${t.from.y}H${c.box.x + c.box.w * 0.6}`;
  const tone = t.clash ? "madderFill" : t.udp ? "plum" : "chalk";
  const says = `${t.forward.name || "Forward"}: outside ${t.forward.outside} ${t.forward.protocol} to ${t.to?.label ?? t.forward.to}${t.renumbered ? `, its port ${t.renumbered}` : ""}${t.clash ? ", clashes" : ""}`;
  return (
    <chakra.g
      role="button"
      tabIndex={0}
      aria-label={says}
      aria-pressed={picked}
      cursor="pointer"
      onClick={onPick}
      onKeyDown={(e) => {
        if (e.key === "Enter" || e.key === " ") {
          e.preventDefault();
          e.stopPropagation();
          onPick();
        }
      }}
      data-thread={t.forward.id}
    >
      <path d={d} stroke="transparent" strokeWidth="14" fill="none" />
      {picked && <chakra.path d={d} stroke="brassSoft" strokeWidth={t.wide ? 15 : 9} fill="none" />}
      {t.wide && <chakra.path d={d} stroke={tone} strokeWidth="8" opacity="0.35" fill="none" />}
      <chakra.path
        d={d}
        stroke={tone}
        strokeWidth={t.wide ? 8 : 2.2}
        strokeDasharray={t.udp ? "7 4" : undefined}
        opacity={t.wide ? 0.75 : 1}
        fill="none"
      />
      {t.both && (
        <chakra.path d={d} stroke="plum" strokeWidth="2" strokeDasharray="7 4" fill="none" transform="translate(0 4)" />
      )}
      {t.clash && (
        <chakra.path d={`M${c.eye + 16} ${t.from.y - 6}l12 12m0 -12l-12 12`} stroke="madderFill" strokeWidth="2.2" />
      )}
      {!t.to && (
        <chakra.text x={c.box.x + c.box.w * 0.6 + 6} y={t.from.y + 4} fontSize="12px" fontFamily="mono" fill="muted">
          → {t.forward.to}
        </chakra.text>
      )}
    </chakra.g>
  );
}

/** Renumber shows the new port where a thread leaves the router. */
function Renumber({ thread: t, width }: { thread: Thread; width: number }) {
  const c = columns(width);
  const text = `→ ${t.renumbered}`;
  const w = text.length * 7.4 + 12;
  return (
    <chakra.g
      transform={`translate(${c.box.x + c.box.w - w + 4} ${(t.to?.y ?? t.from.y) - 9})`}
      pointerEvents="none"
      aria-hidden="true"
    >
      <chakra.rect width={w} height="18" rx="9" fill="card" stroke="hair" />
      <chakra.text x={w / 2} y="13" fontSize="12px" fontFamily="mono" textAnchor="middle" fill="ink">
        {text}
      </chakra.text>
    </chakra.g>
  );
}

function Eyelet({ eye, x, near, onPick }: { eye: Eye; x: number; near: boolean; onPick: () => void }) {
  const stroke = eye.clash ? "madderFill" : eye.own ? "muted" : "brassMark";
  return (
    <chakra.g
      transform={`translate(${x} ${eye.y})`}
      onClick={onPick}
      cursor={eye.own ? "default" : "pointer"}
      data-eye={eye.key}
    >
      <title>
        {eye.own ? `${eye.ports} ${eye.protocol}: ${eye.own}` : `${eye.ports} ${eye.protocol}, open outside`}
      </title>
      <chakra.text
        x="-16"
        y="5"
        textAnchor="end"
        fontFamily="mono"
        fontSize={eye.ports.length > 11 ? "12px" : "14px"}
        fill="ink"
      >
        {eye.ports.length > 17 ? `${eye.ports.slice(0, 15)}…` : eye.ports}
      </chakra.text>
      <chakra.text x={-x} y={eye.ports.length > 8 ? -9 : 4} fontSize="11px" fill="muted">
        {eye.own ? "router's own" : eye.protocol === "both" ? "tcp+udp" : eye.protocol}
      </chakra.text>
      {near && <chakra.circle r="13" fill="none" stroke="chalk" strokeWidth="2" />}
      {eye.own ? (
        <>
          <chakra.circle r="7.5" fill="muted" />
          <chakra.path d="M-4 0H4" stroke="card" strokeWidth="2.4" />
        </>
      ) : (
        <chakra.circle r="7" fill={eye.clash ? "madderSoft" : "card"} stroke={stroke} strokeWidth="3" />
      )}
    </chakra.g>
  );
}

type FootProps = {
  foot: Foot;
  x: number;
  room: number;
  picked: boolean;
  unmet: boolean;
  onDown: (e: React.PointerEvent) => void;
  onPick: () => void;
};

function FootMark({ foot: f, x, room, picked, unmet, onDown, onPick }: FootProps) {
  const s = f.service;
  const name = s.name || "service";
  const state = f.open ? (unmet ? "to open" : "open outside") : "stays inside";
  return (
    <chakra.g
      transform={`translate(${x} ${f.y})`}
      role="button"
      tabIndex={0}
      aria-pressed={picked}
      aria-label={`${f.device.name || "unnamed device"} ${name}, ${s.ports} ${s.protocol}, ${state}`}
      cursor="grab"
      onPointerDown={(e) => {
        e.preventDefault();
        onDown(e);
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter" || e.key === " ") {
          e.preventDefault();
          e.stopPropagation();
          onPick();
        }
      }}
      data-foot={s.id}
      opacity={f.open || picked ? 1 : 0.75}
    >
      <chakra.rect x="-10" y="-11" width={room + 8} height="22" rx="4" fill={picked ? "brassSoft" : "transparent"} />
      <chakra.circle
        r="5"
        fill={unmet ? "brassSoft" : "card"}
        stroke={f.open ? "ink" : "muted"}
        strokeWidth="1.8"
        strokeDasharray={unmet ? "3 2" : undefined}
      />
      <chakra.text x="14" y="4" fontSize="13px" fill={f.open ? "ink" : "muted"}>
        {clip(name, room * 0.45)}
        <chakra.tspan fontFamily="mono" fill="muted">
          {" "}
          {s.ports} {s.protocol}
        </chakra.tspan>
        {state !== "open outside" && (
          <chakra.tspan fontSize="11px" fill={unmet ? "brass" : "muted"}>
            {"  "}
            {state}
          </chakra.tspan>
        )}
      </chakra.text>
    </chakra.g>
  );
}
