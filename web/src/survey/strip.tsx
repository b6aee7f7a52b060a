import { Box, Flex, Text } from "@chakra-ui/react";
import { type KeyboardEvent, memo, useMemo, useState } from "react";
import type { Network } from "../api/model";
import { useSite } from "../api/site";
import { useSurvey } from "../api/survey";
import { useWidth } from "../parts/width";
import { address, label, lan, number, short } from "../parts/words";
import { fill, type Paint, stroke } from "../theme/plain";
import { type DeviceRow, wrong } from "./rows";

const height = 34;

type Tick = { id: string; n: number; says: string; paint: Paint; gone: boolean };

/** ticksOf are the devices of a network by address: as it was, new, somewhere else, or not seen this time. */
function ticksOf(rows: DeviceRow[], network: Network): Tick[] {
  const { lo, hi } = lan(network.subnet);
  return rows
    .flatMap((r): Tick[] => {
      const gone = r.difference?.what === "gone";
      return r.device.interfaces.flatMap((i) => {
        const n = i.seen ? number(i.seen) : 0;
        if (n < lo || n > hi) return [];
        const fresh = r.live === "new" || r.difference?.what === "new";
        const paint = r.swap ? "madder" : wrong(r) ? "brass-mark" : fresh ? "moss-mark" : gone ? "muted" : "ink";
        return [{ id: r.device.id, n, says: `${label(r.device)} at ${i.seen}`, paint, gone }];
      });
    })
    .sort((a, b) => a.n - b.n);
}

type StripProps = { rows: DeviceRow[]; network: Network; picked: string | undefined; onPick: (device: string) => void };

/** Strip is a tick for each address that somebody was seen at; it fills while a sweep runs, and picks by address. */
export function Strip({ rows, network, picked, onPick }: StripProps) {
  const [box, width] = useWidth<HTMLDivElement>(800);
  const survey = useSurvey()?.state;
  const ticks = useMemo(() => ticksOf(rows, network), [rows, network]);
  const [focused, setFocused] = useState(false);
  const at = ticks.findIndex((t) => t.id === picked);
  const keys = (e: KeyboardEvent) => {
    const way = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
    if (!way) return;
    const next = ticks[at < 0 ? 0 : Math.max(0, Math.min(ticks.length - 1, at + way))];
    if (next) onPick(next.id);
    e.preventDefault();
    e.stopPropagation();
  };
  const x = scaleOf(network, width);
  const press = (e: React.MouseEvent) => {
    const left = e.currentTarget.getBoundingClientRect().left;
    const near = ticks.toSorted((a, b) => Math.abs(x(a.n) - e.clientX + left) - Math.abs(x(b.n) - e.clientX + left))[0];
    if (near && Math.abs(x(near.n) - e.clientX + left) < 14) onPick(near.id);
  };
  const share = survey?.running && survey.of > 0 ? Math.min(1, survey.done / survey.of) : undefined;
  return (
    <Box ref={box} w="100%" flex="none" className="no-print">
      <svg
        width={width}
        height={height + 14}
        role="listbox"
        tabIndex={0}
        aria-label={`Who was seen in ${network.subnet}: arrows go from address to address`}
        aria-activedescendant={focused && at >= 0 ? `tick-${at}` : undefined}
        onKeyDown={keys}
        onFocus={() => setFocused(true)}
        onBlur={() => setFocused(false)}
        onClick={press}
        className="picture press"
        data-strip={ticks.length}
      >
        <StripGround network={network} width={width} />
        {share !== undefined && (
          <g aria-hidden="true">
            <rect
              x="1"
              y="1"
              width={Math.max(0, share * (width - 2))}
              height={height - 2}
              className={fill("chalk-soft")}
              opacity="0.7"
            />
            <path d={`M${share * (width - 2) + 1} -3v${height + 6}`} className={stroke("chalk")} strokeWidth="2" />
          </g>
        )}
        {ticks.map((t, i) => (
          <path
            // biome-ignore lint/suspicious/noArrayIndexKey: two may sit at one address
            key={i}
            id={`tick-${i}`}
            role="option"
            aria-selected={i === at}
            aria-label={t.says}
            d={`M${x(t.n).toFixed(1)} ${i === at ? -4 : 6}v${i === at ? height + 8 : height - 12}`}
            className={stroke(t.paint)}
            strokeWidth={i === at ? 4 : 2.4}
            strokeDasharray={t.gone ? "3 2" : undefined}
          />
        ))}
      </svg>
      <Legend rows={rows} />
    </Box>
  );
}

const scaleOf = (network: Network, width: number) => {
  const { lo, hi } = lan(network.subnet);
  return (n: number) => 2 + ((n - lo + 0.5) / (hi - lo + 1)) * (width - 4);
};

const StripGround = memo(function StripGround({ network, width }: { network: Network; width: number }) {
  const x = scaleOf(network, width);
  const { lo, hi } = lan(network.subnet);
  const size = hi - lo + 1;
  const step = size <= 256 ? 50 : Math.ceil(size / 8);
  const marks = Array.from({ length: Math.ceil(size / step) }, (_, i) => lo + i * step);
  return (
    <g aria-hidden="true">
      <defs>
        <pattern id="strip-weave" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0H7M0 0V7" className={stroke("weave")} strokeWidth="1.2" />
        </pattern>
      </defs>
      <rect x="0.5" y="0.5" width={width - 1} height={height - 1} className={`${fill("tape")} ${stroke("edge")}`} />
      {network.ranges.map((r) => (
        <rect
          key={r.from}
          x={x(number(r.from))}
          width={Math.max(2, x(number(r.to)) - x(number(r.from)))}
          y="1"
          height={height - 2}
          fill="url(#strip-weave)"
          opacity="0.5"
        />
      ))}
      {marks.map((n) => (
        <text key={n} x={x(n)} y={height + 12} className={`mono t11 ${fill("brass")}`}>
          {size <= 256 ? n - lo : short(address(n), network)}
        </text>
      ))}
    </g>
  );
});

/** Legend counts what the ticks show. */
function Legend({ rows }: { rows: DeviceRow[] }) {
  const { offers } = useSite();
  const count = (test: (r: DeviceRow) => boolean) => rows.filter(test).length;
  const parts = [
    { n: count((r) => r.difference?.what !== "gone" && r.now !== ""), word: "seen", color: "ink" },
    { n: count((r) => r.live === "new" || r.difference?.what === "new"), word: "new", color: "moss" },
    { n: count((r) => r.difference?.what === "moved"), word: "moved", color: "brass" },
    { n: offers.filter((o) => o.kind !== "together").length, word: "perhaps swapped", color: "madder" },
    { n: count((r) => r.difference?.what === "gone"), word: "not seen this time", color: "muted" },
  ];
  return (
    <Flex gap="4px 14px" fontSize="small" flexWrap="wrap">
      {parts
        .filter((p) => p.n > 0)
        .map((p) => (
          <Text key={p.word} color={p.color} fontWeight={600}>
            {p.n} {p.word}
          </Text>
        ))}
    </Flex>
  );
}
