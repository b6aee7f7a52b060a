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

const endsOf = (ports: string) => {
  const all = ports.split(/[^0-9]+/).map(Number);
  return [Math.min(...all), Math.max(...all)] as const;
};

/** Ruler shows where the outside ports lie in the whole range; it stays in sight. */
export const Ruler = memo(function Ruler({ picture }: { picture: Picture }) {
  return (
    <svg
      width="44"
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
          const [lo, hi] = endsOf(e.ports);
          const [y, end] = [18 + placeOf(lo) * height, 18 + placeOf(hi) * height];
          const tone = e.own ? "muted" : e.clash ? "madder-fill" : e.protocol === "udp" ? "plum" : "chalk";
          return <rect key={e.key} x="1" y={y - 1} width="12" height={Math.max(2.4, end - y)} className={fill(tone)} />;
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
