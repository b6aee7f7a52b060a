import { memo } from "react";
import { fill, stroke } from "../theme/plain";
import type { Picture } from "./geometry";

/** Where ports stand on the ruler: the registry's three ranges (RFC 6335), and 10000, from which on planned ones are. */
const marks: [port: number, at: number][] = [
  [1, 0],
  [1024, 0.2],
  [10000, 0.52],
  [49152, 0.86],
  [65535, 1],
];

const height = 420;

/** placeOf is how far down the ruler a port is, from 0 to 1. */
function placeOf(port: number): number {
  const k = Math.max(
    1,
    marks.findIndex(([p]) => p >= port),
  );
  const [from, to] = [marks[k - 1] ?? marks[0], marks[k] ?? marks[0]];
  if (!from || !to) return 0;
  return from[1] + ((port - from[0]) / Math.max(1, to[0] - from[0])) * (to[1] - from[1]);
}

/** outline draws ports on the ruler, each range a bar of its own. */
const outline = (ports: string[]) =>
  ports
    .flatMap((list) => list.split(","))
    .map((range) => {
      const [lo = 1, hi = lo] = range.split("-").map(Number);
      const y = 18 + placeOf(lo) * height;
      return `M1 ${(y - 1).toFixed(1)}h12v${Math.max(2.4, 18 + placeOf(hi) * height - y).toFixed(1)}h-12z`;
    })
    .join("");

/** Ruler shows where the outside ports lie in the whole range; it stays in sight. */
export const Ruler = memo(function Ruler({ picture }: { picture: Picture }) {
  return (
    <svg
      width="52"
      height={height + 28}
      role="img"
      aria-label="Where the outside ports lie from 1 to 65535"
      className="ruler"
      data-ruler
    >
      <rect x="0.5" y="18" width="13" height={height} className={`${fill("card")} ${stroke("hair")}`} />
      {picture.eyes
        .filter((e) => e.band === 0)
        .map((e) => {
          const tone = e.own ? "muted" : e.clash ? "madder-fill" : e.protocol === "udp" ? "plum" : "chalk";
          return <path key={e.key} d={outline(e.each ?? [e.ports])} className={fill(tone)} />;
        })}
      {marks.map(([port, at]) => (
        <text
          key={port}
          x="17"
          y={Math.min(height + 16, 18 + at * height + (at === 0 ? 8 : 0))}
          className={`ruler-port mono ${fill("muted")}`}
          aria-hidden="true"
        >
          {port}
        </text>
      ))}
    </svg>
  );
});
