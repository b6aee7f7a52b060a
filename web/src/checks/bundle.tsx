import { Box } from "@chakra-ui/react";
import type { Verdict } from "../api/model";
import { useWidth } from "../parts/width";
import { stroke } from "../theme/plain";

type Props = {
  verdicts: Verdict[];
  running: boolean;
  picked: string | undefined;
  label: (v: Verdict) => string;
  onPick: (v: Verdict) => void;
};

const height = 54;

/** Bundle draws each service as a thread across the wall: whole where it works, torn where it does not, dotted where nobody knows. */
export function Bundle({ verdicts, running, picked, label, onPick }: Props) {
  const [box, width] = useWidth<HTMLDivElement>(600);
  const gap = Math.min(26, (width - 20) / Math.max(1, verdicts.length));
  const thick = Math.min(2.7, gap * 0.6);
  const torn = Math.min(4, gap * 0.4);
  return (
    <Box ref={box} w="100%" minW={0} data-bundle>
      <svg width={width} height={height} role="img" aria-label={inWords(verdicts)} className="picture">
        <path d={`M0 ${height / 2}H${width}`} className={stroke("hair")} strokeWidth="10" />
        {verdicts.map((v, i) => {
          const x = 10 + i * gap + gap / 2;
          return (
            // biome-ignore lint/a11y/noStaticElementInteractions: the list below has the same by keyboard
            <g
              key={v.service}
              className="press hollow"
              onClick={() => onPick(v)}
              data-thread-of={v.service}
              data-works={v.works}
            >
              <title>{`${label(v)}: ${v.says}`}</title>
              <path d={`M${x} 0V${height}`} stroke="transparent" strokeWidth={gap} />
              {picked === v.service && (
                <path d={`M${x} 0V${height}`} className={stroke("brass-soft")} strokeWidth="9" />
              )}
              {v.works === "yes" && (
                <path d={`M${x} 2V${height - 2}`} className={stroke("moss-mark")} strokeWidth={thick} />
              )}
              {v.works === "unknown" && (
                <path
                  d={`M${x} 2V${height - 2}`}
                  className={`${stroke("muted")}${running ? " asking" : ""}`}
                  strokeWidth="2"
                  strokeDasharray="2 4"
                />
              )}
              {v.works === "no" && (
                <path
                  d={`M${x} 2V${height / 2 - 8}l${-torn} 4M${x} ${height - 2}V${height / 2 + 8}l${torn} -4`}
                  className={stroke("madder-fill")}
                  strokeWidth={thick}
                />
              )}
            </g>
          );
        })}
      </svg>
    </Box>
  );
}

/** inWords says the whole bundle. */
export function inWords(verdicts: Verdict[]): string {
  const n = (works: Verdict["works"]) => verdicts.filter((v) => v.works === works).length;
  return `${n("yes")} of ${verdicts.length} work, ${n("no")} do not, of ${n("unknown")} it is not known`;
}
