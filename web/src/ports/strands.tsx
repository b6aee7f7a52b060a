import { memo } from "react";
import type { LinkEnd } from "../api/model";
import { fill, stroke } from "../theme/plain";
import { type Block, type Bow, type Columns, type Eye, type Foot, path, type Thread } from "./geometry";
import { saysEnd } from "./links";

export const clip = (text: string, room: number) =>
  text.length * 7 > room ? `${text.slice(0, Math.max(4, Math.floor(room / 7) - 1))}…` : text;

/** saysThread is what is read out of a thread. */
export const saysThread = (t: Thread, link?: LinkEnd) =>
  [
    `${t.ghost ? "Suggested: " : ""}${t.forward.name || "Forward"}: outside ${t.from.ports} ${t.forward.protocol} to ${t.to?.label ?? t.forward.to}`,
    t.count > 1 && `and ${t.count - 1} more alike`,
    t.renumbered.at(-1) && `its port ${t.renumbered.at(-1)}`,
    t.clash && "clashes",
    link && saysEnd(link),
    t.held?.says,
  ]
    .filter(Boolean)
    .join(", ");

type StrandProps = {
  thread: Thread;
  c: Columns;
  link?: LinkEnd;
  picked: boolean;
  active: boolean;
  walked: boolean;
};

/** Strand is a thread from its eyelet through the router to its device. */
export const Strand = memo(function Strand({ thread: t, c, link, picked, active, walked }: StrandProps) {
  const legs = t.renumbered.length;
  const last = c.band(t.from.band + legs - 1);
  const end = last.x + last.w * 0.6;
  const udp = t.forward.protocol === "udp";
  const d = t.to ? path(t, t.to.y, c, legs) : `M${c.eye + 8} ${t.from.y}H${end}`;
  const tone = stroke(t.ghost ? "brass-mark" : t.clash ? "madder-fill" : udp ? "plum" : "chalk");
  return (
    <g
      id={`thread-${t.ghost ? "ghost-" : ""}${t.forward.id}`}
      role="option"
      aria-selected={picked}
      aria-label={saysThread(t, link)}
      className="press hollow"
      data-thread={t.ghost ? undefined : t.forward.id}
      data-ghost={t.ghost ? t.forward.id : undefined}
    >
      <path d={d} stroke="transparent" strokeWidth="24" pointerEvents="stroke" />
      {(picked || active || walked) && (
        <path d={d} className={stroke(picked && !walked ? "brass-soft" : "chalk-soft")} strokeWidth={t.wide ? 15 : 9} />
      )}
      <path
        d={d}
        className={tone}
        strokeWidth={t.wide ? 8 : t.ghost ? 1.8 : 2.2}
        strokeDasharray={t.ghost ? "4 3" : udp ? "7 4" : undefined}
        opacity={t.wide ? 0.6 : 1}
      />
      {t.forward.protocol === "both" && !t.ghost && (
        <path d={d} className={stroke("plum")} strokeWidth="2" strokeDasharray="7 4" transform="translate(0 4)" />
      )}
      {t.clash && (
        <path
          d={`M${c.eye + 14} ${t.from.y - 5}l10 10m0 -10l-10 10`}
          className={stroke("madder-fill")}
          strokeWidth="2.2"
        />
      )}
      {!t.to && (
        <text x={end + 6} y={t.from.y + 4} className={`t12 mono ${fill("muted")}`}>
          → {t.forward.to}
        </text>
      )}
      {t.to &&
        t.renumbered.map((port, i) => {
          const band = c.band(t.from.band + i);
          const y = i < legs - 1 && legs > 1 && t.from.y === t.to?.y ? t.from.y : (t.to?.y ?? 0);
          return port && <Renumber key={band.x} text={`→ ${port}`} x={band.x + band.w + 4} y={y} />;
        })}
      {link && t.from.band === 0 && (
        <text
          x={c.eye + 14}
          y={t.from.y - 5}
          pointerEvents="none"
          aria-hidden="true"
          className={`t11 bold haloed ${fill("moss")}`}
          data-link-thread={link.id}
        >
          {clip(saysEnd(link), c.band(0).x - c.eye + 40)}
        </text>
      )}
      {walked && (
        <circle r="6" className={`packet ${fill("chalk")}`} style={{ offsetPath: `path("${d}")` }} data-packet />
      )}
      {t.held && <HeldOther id={t.forward.id} thread={t} held={t.held} c={c} />}
    </g>
  );
});

type HeldProps = { id: string; thread: Thread; held: { says: string; leg: number }; c: Columns };

/** HeldOther is what a router of the way really does, beside the thread that is planned, from that router on. */
function HeldOther({ id, thread: t, held, c }: HeldProps) {
  const inner = held.leg > 0 && t.to;
  const y = (inner ? inner.y : t.from.y) + 9;
  const band = c.band(t.from.band + held.leg);
  const start = inner || t.from.band > 0 ? band.x : c.eye + 10;
  return (
    <g pointerEvents="none" aria-hidden="true" data-held={id}>
      <path
        d={`M${start} ${y}H${c.foot - 14}`}
        className={stroke("brass-mark")}
        strokeWidth="1.8"
        strokeDasharray="2 4"
      />
      <text x={c.foot - 14} y={y + 4} textAnchor="end" className={`t11 bold haloed ${fill("brass")}`}>
        {held.says}
      </text>
    </g>
  );
}

/** BowMark joins two eyelets that want the same port. */
export const BowMark = memo(function BowMark({ bow, x }: { bow: Bow; x: number }) {
  const mid = (bow.from + bow.to) / 2;
  return (
    <g className="hollow" pointerEvents="none" aria-hidden="true" data-bow>
      <path
        d={`M${x + 7} ${bow.from + 4}C${x + 34} ${bow.from + 8} ${x + 34} ${bow.to - 8} ${x + 7} ${bow.to - 4}`}
        className={stroke("madder-fill")}
        strokeWidth="2"
      />
      <text x={x + 34} y={mid + 4} className={`t11 bold haloed ${fill("madder")}`}>
        {bow.says}
      </text>
    </g>
  );
});

/** Renumber shows the new port where a thread leaves the router. */
function Renumber({ text, x, y }: { text: string; x: number; y: number }) {
  const w = text.length * 7.4 + 12;
  return (
    <g transform={`translate(${x - w} ${y - 9})`} pointerEvents="none" aria-hidden="true">
      <rect width={w} height="18" rx="9" className={`${fill("card")} ${stroke("hair")}`} />
      <text x={w / 2} y="13" textAnchor="middle" className={`t12 mono ${fill("ink")}`}>
        {text}
      </text>
    </g>
  );
}

/** strayRoom is how far a line that is in no plan is drawn from its eyelet. */
const strayRoom = (eye: Eye) => (eye.band === 0 ? 200 : 56);

type EyeletProps = { eye: Eye; x: number; near: boolean; active: boolean };

/** Eyelet is an outside port; what leads from it is told by its threads. */
export const Eyelet = memo(function Eyelet({ eye, x, near, active }: EyeletProps) {
  const says = eye.own
    ? `${eye.ports} router's own, ${eye.protocol}: ${eye.own}`
    : eye.alone
      ? `${eye.ports} ${eye.protocol}: the router leads it to ${eye.alone}, and it is in no plan`
      : `${eye.ports} ${eye.protocol}, open outside`;
  const still = eye.own || eye.alone;
  const ring = eye.clash ? "madder-fill" : "brass-mark";
  const at = `translate(${x} ${eye.y})`;
  return (
    <>
      <g
        id={`eye-${eye.key}`}
        transform={at}
        {...(still ? { role: "option", "aria-selected": false, "aria-label": says } : {})}
        className={still ? undefined : "press"}
        data-eye={eye.key}
      >
        {!still && <title>{says}</title>}
        <rect x={-x} y="-12" width={x + 14} height="24" fill="transparent" />
        <text
          x="-16"
          y="5"
          textAnchor="end"
          className={`mono ${eye.ports.length > 11 ? "t12" : "t14"} ${fill(eye.ghost ? "brass" : "ink")}`}
        >
          {eye.ports.length > 13 ? `${eye.ports.slice(0, 12)}…` : eye.ports}
        </text>
        {(near || active) && <circle r="13" className={`hollow ${stroke("chalk")}`} strokeWidth="2" />}
        {eye.own ? (
          <>
            <circle r="7.5" className={fill("muted")} />
            <path d="M-4 0H4" className={stroke("card")} strokeWidth="2.4" />
          </>
        ) : (
          <circle
            r="7"
            className={`${fill(eye.clash ? "madder-soft" : "card")} ${stroke(ring)}`}
            strokeWidth={eye.ghost || eye.alone ? 1.8 : 3}
            strokeDasharray={eye.ghost || eye.alone ? "3 2" : undefined}
          />
        )}
      </g>
      {still && (
        <g transform={at} pointerEvents="none" aria-hidden="true">
          {eye.alone && (
            <path
              d={`M10 0H${strayRoom(eye)}`}
              className={stroke("brass-mark")}
              strokeWidth="1.8"
              strokeDasharray="2 4"
            />
          )}
          <text
            x={eye.own ? 14 : strayRoom(eye) + 6}
            y="4"
            className={eye.own ? `t11 ${fill("muted")}` : `t11 bold ${fill("brass")}`}
          >
            {eye.own ? clip(eye.own, 150) : `in the router alone: to ${eye.alone}`}
          </text>
        </g>
      )}
    </>
  );
});

type BlockProps = {
  block: Block;
  x: number;
  width: number;
  picked: string | undefined;
  active: string | undefined;
  unmet: Set<string>;
  /** by service, or by the interface that calls */
  links: Map<string, LinkEnd>;
  folding: boolean;
};

/** DeviceBlock is a device with the services below its name. */
export const DeviceBlock = memo(function DeviceBlock({
  block: b,
  x,
  width,
  picked,
  active,
  unmet,
  links,
  folding,
}: BlockProps) {
  const calls = links.get(b.key);
  return (
    <g data-block={b.count > 1 ? b.count : undefined}>
      <text x={x + 12} y={b.y + 4} className={`t14 bold ${fill("ink")}`}>
        {clip(b.title, width - x - 24 - b.address.length * 9)}
        <tspan className={`mono ${fill("muted")}`} fontWeight="400">
          {" "}
          {b.address}
        </tspan>
        {calls && (
          <tspan className={`t11 ${fill(calls.state === "dials" ? "chalk" : "brass")}`} data-link-end={calls.id}>
            {"  "}
            {clip(saysEnd(calls), width - x - 24 - b.title.length * 8 - b.address.length * 9)}
          </tspan>
        )}
      </text>
      {b.count > 1 && (
        <g
          id={`fold-${b.key}`}
          role="option"
          aria-selected={false}
          aria-label={`${b.title}: ${b.count} alike, show each`}
          className="press"
          data-unfold={b.key}
        >
          <rect
            x={x - 12}
            y={b.y - 12}
            width={width - x}
            height="24"
            rx="4"
            className={folding ? fill("chalk-soft") : undefined}
            fill="transparent"
            opacity="0.5"
          />
          <title>{`${b.count} alike: show each`}</title>
        </g>
      )}
      {b.feet.map((f) => (
        <FootMark
          key={f.service.id}
          foot={f}
          x={x}
          room={width - x}
          picked={picked === f.service.id}
          active={active === f.service.id}
          unmet={unmet.has(f.service.id)}
          link={links.get(f.service.id)}
        />
      ))}
    </g>
  );
});

type FootProps = {
  foot: Foot;
  x: number;
  room: number;
  picked: boolean;
  active: boolean;
  unmet: boolean;
  link?: LinkEnd;
};

/** saysFoot is what is read out of a foot; what it shows comes in the order in which it stands there. */
function saysFoot({ device, service: s, count }: Foot, state: string, link?: LinkEnd): string {
  const what = `${s.name || "service"} ${s.ports} ${s.protocol}, ${state}${link ? `, ${saysEnd(link)}` : ""}`;
  return count > 1 ? `${count} ${what}, of ${count} alike` : `${device.name || "unnamed device"} ${what}`;
}

function FootMark({ foot: f, x, room, picked, active, unmet, link }: FootProps) {
  const s = f.service;
  const name = s.name || "service";
  const state = f.open ? (unmet ? "to open" : "open outside") : "stays inside";
  return (
    <g
      id={`foot-${s.id}`}
      transform={`translate(${x} ${f.y})`}
      role="option"
      aria-selected={picked}
      aria-label={saysFoot(f, state, link)}
      className="grab"
      data-foot={s.id}
    >
      <rect
        x="-12"
        y="-12"
        width={room + 8}
        height="24"
        rx="4"
        className={picked ? fill("brass-soft") : active ? fill("chalk-soft") : undefined}
        fill="transparent"
      />
      <circle
        r={f.count > 1 ? 11 : 5}
        className={`${fill(unmet ? "brass-soft" : "card")} ${stroke(f.open ? "ink" : "muted")}`}
        strokeWidth="1.8"
        strokeDasharray={unmet ? "3 2" : undefined}
      />
      {f.count > 1 && (
        <text y="4" textAnchor="middle" className={`t11 mono bold ${fill("ink")}`}>
          {f.count}{" "}
        </text>
      )}
      <text x={f.count > 1 ? 18 : 14} y="4" className={`t13 ${fill(f.open ? "ink" : "muted")}`}>
        {clip(name, room * 0.5)}
        <tspan className={`mono ${fill("muted")}`}>
          {" "}
          {s.ports} {s.protocol}
        </tspan>
        {state !== "open outside" && (
          <tspan className={`t11 ${fill(unmet ? "brass" : "muted")}`}>
            {"  "}
            {state}
          </tspan>
        )}
        {link && link.state !== "open" && (
          <tspan className={`t11 bold ${fill("madder")}`} data-link-end={link.id}>
            {"  "}
            {clip(saysEnd(link), room - 30 - (name.length + s.ports.length) * 8)}
          </tspan>
        )}
      </text>
    </g>
  );
}
