import type { Checks, ThereSeen, Verdict } from "../api/model";

/** Four are the questions that each thread is asked. */
export const four = ["at its address", "answers inside", "answers outside", "same device"] as const;

/** Told is the answer to one of them: well, wrong, not known, or asked just now. */
export type Told = "well" | "wrong" | "unknown" | "asking";

/** toldOf answers the four questions for a service. */
export function toldOf(v: Verdict, there: ThereSeen | undefined, running: boolean): Told[] {
  const blank: Told = running ? "asking" : "unknown";
  const heard = (result: string): Told => (result === "answers" ? "well" : result === "untried" ? blank : "wrong");
  const placed: Told = !there || there.answers === "untried" ? blank : there.as === "planned" ? "well" : "wrong";
  const looped = v.outside.by === "looped" && v.outside.result !== "answers";
  const identity: Told =
    v.identity === "same" ? "well" : v.identity === "other" || v.identity === "router" ? "wrong" : "unknown";
  const outside = v.open ? (looped ? "unknown" : heard(v.outside.result)) : "unknown";
  return [placed, heard(v.inside.result), outside, identity];
}

const words: Record<Told, string> = { well: "yes", wrong: "no", unknown: "not known", asking: "being asked" };

/** Mark is one answer, by its shape first: a tick in a ring, a cross in a lozenge, a dash, a dashed ring. */
export function Mark({ told, of }: { told: Told; of: string }) {
  return (
    <svg
      viewBox="-11 -11 22 22"
      width="22"
      height="22"
      role="img"
      aria-label={`${of}: ${words[told]}`}
      className={`told told-${told}`}
    >
      {told === "well" && (
        <>
          <circle r="9.5" />
          <path d="M-4 0.5L-1 3.5L4.5 -3.5" />
        </>
      )}
      {told === "wrong" && (
        <>
          <path d="M0 -10.5L10.5 0L0 10.5L-10.5 0Z" className="told-ground" />
          <path d="M-3.2 -3.2L3.2 3.2M3.2 -3.2L-3.2 3.2" />
        </>
      )}
      {told === "unknown" && <path d="M-4 0H4" />}
      {told === "asking" && <circle r="9" />}
    </svg>
  );
}

/** Marks are the four answers of a service in a row. */
export function Marks({ told }: { told: Told[] }) {
  return (
    <span className="four">
      {told.map((t, i) => (
        <Mark key={four[i]} told={t} of={four[i] ?? ""} />
      ))}
    </span>
  );
}

/** thereOf finds who answers at the address of a service's interface. */
export const thereOf = (checks: Checks, iface: string) => checks.report?.interfaces.find((i) => i.interface === iface);
