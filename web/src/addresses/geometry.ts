/** Run is one length of the tape: the addresses from..to, as numbers within the slice. */
export type Run = { from: number; to: number; y: number };

export const perRun = 50;
export const runHeight = 82;
/** Where things lie within a run, from its top. */
export const at = { head: 26, tape: 42, tapeHeight: 20, band: 65, bandLabel: 77 };
const left = 12;
const longest = 56;

/** runs cuts lo..hi at round numbers; a short rest stays with the run before it. */
export function runs(lo: number, hi: number): Run[] {
  const out: Run[] = [];
  for (let from = lo - (lo % perRun); from <= hi; from += perRun) {
    const last = out.at(-1);
    const to = Math.min(hi, from + perRun - 1);
    if (last && to - from + 1 <= longest - perRun) last.to = to;
    else out.push({ from: Math.max(from, lo), to, y: out.length * runHeight });
  }
  return out;
}

/** start is the round number at which the scale of a run begins. */
const start = (run: Run) => run.from - (run.from % perRun);

export const stepOf = (width: number) => (width - 2 * left) / longest;

/** xOf places a number on its run. */
export function xOf(n: number, run: Run, width: number): number {
  return left + (n - start(run) + 0.5) * stepOf(width);
}

/** edge is where the cell of a number begins. */
export const edge = (n: number, run: Run, width: number) => xOf(n, run, width) - stepOf(width) / 2;

/** ticksOf are the ticks of a run in one path: long at tens, middling at fives. */
export function ticksOf(run: Run, width: number): string {
  let d = "";
  for (let n = run.from; n <= run.to; n++)
    d += `M${xOf(n, run, width).toFixed(1)} ${run.y + at.tape}v${n % 10 === 0 ? 7 : n % 5 === 0 ? 5 : 3}`;
  return d;
}

/** How far beside the tape a pin may be let go and still be meant, in CSS pixels. */
const margin = 24;

/** outside tells whether a point is so far from the tape that nothing on it is meant. */
export const outside = (x: number, y: number, all: Run[], width: number) =>
  x < -margin || x > width + margin || y < -margin || y > all.length * runHeight + margin;

/** numberAt is the number under a point of the picture, or the nearest one. */
export function numberAt(x: number, y: number, all: Run[], width: number): number | undefined {
  const run = all[Math.max(0, Math.min(all.length - 1, Math.floor(y / runHeight)))];
  if (!run) return undefined;
  const n = start(run) + Math.floor((x - left) / stepOf(width));
  return Math.max(run.from, Math.min(run.to, n));
}

export const runOf = (n: number, all: Run[]) => all.find((r) => n >= r.from && n <= r.to);

/** pieces cuts a stretch of numbers into what lies on each run. */
export function pieces(lo: number, hi: number, all: Run[]): { run: Run; lo: number; hi: number }[] {
  return all
    .filter((r) => lo <= r.to && hi >= r.from)
    .map((run) => ({ run, lo: Math.max(lo, run.from), hi: Math.min(hi, run.to) }));
}

/** Labelled is a mark that would have its label shown: first those that matter more, always those that must. */
export type Labelled = { key: string; x: number; text: string; matters: boolean; must: boolean };

const rank = (m: Labelled) => (m.must ? 2 : m.matters ? 1 : 0);

/** levels decides which labels of a run are shown, on the line of the heads (0) or above it (1). */
export function levels(marks: Labelled[], width: number): Map<string, 0 | 1> {
  const taken: [number, number][][] = [marks.map((m) => [m.x - 7, m.x + 7]), []];
  const out = new Map<string, 0 | 1>();
  const order = [...marks].sort((a, b) => rank(b) - rank(a) || a.x - b.x);
  for (const m of order) {
    const long = m.text.length * 6.6 + 6;
    for (const level of [0, 1] as const) {
      const span: [number, number] = level === 0 ? [m.x + 8, m.x + 8 + long] : [m.x - 4, m.x + long];
      if (span[1] > width || taken[level]?.some(([lo, hi]) => lo < span[1] && hi > span[0])) continue;
      taken[level]?.push(span);
      out.set(m.key, level);
      break;
    }
    if (m.must && !out.has(m.key)) out.set(m.key, 1);
  }
  return out;
}
