import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import type { Visit } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Button, Muted } from "../parts";
import { Dialog } from "../parts/dialog";
import { usePick } from "../parts/pick";
import { clock, plural } from "../parts/words";

const date = (at: string) => new Date(at).toLocaleDateString([], { day: "numeric", month: "long", year: "numeric" });
const brief = (at: string) => new Date(at).toLocaleDateString([], { day: "numeric", month: "long" });

/** VisitLine says which visit this is and what it is compared with. */
export function VisitLine() {
  const { site, differences } = useSite();
  const edit = useEdit();
  const [open, setOpen] = useState(false);
  const last = site.visits.at(-1);
  const before = site.visits.at(-2);
  if (!last) return <>No visit yet: the first evidence begins one</>;
  const finish = () =>
    edit.mutate({
      edits: [{ do: "put-visit", visit: { ...last, until: new Date().toISOString() } as never }],
      says: "The visit is finished. The next evidence begins another.",
    });
  return (
    <>
      {last.until ? "Last visit" : "Visit of"} {brief(last.from)}
      {before ? (
        <>
          {" · "}
          <Button variant="mend" onClick={() => setOpen(true)} fontSize="small">
            {`${plural(differences.length, "difference")} to ${brief(before.from)}`}
          </Button>
        </>
      ) : (
        ", the first"
      )}
      {!last.until && (
        <>
          {" · "}
          <Button variant="mend" onClick={finish} disabled={edit.isPending} fontSize="small">
            Finish it
          </Button>
        </>
      )}
      {open && before && <Comparison before={before} last={last} onClose={() => setOpen(false)} />}
    </>
  );
}

const headings = {
  swapped: "Swapped",
  moved: "Moved",
  renamed: "Calls itself something else",
  new: "New",
  gone: "Not seen this time",
  elsewhere: "Not where the plan has it",
} as const;

/** Comparison lists what changed from one visit to the next. */
function Comparison({ before, last, onClose }: { before: Visit; last: Visit; onClose: () => void }) {
  const { differences } = useSite();
  const [, setPick] = usePick();
  return (
    <Dialog title={`${date(before.from)} and ${date(last.from)}`} onClose={onClose} wide>
      {differences.length === 0 && <p>Everything is as it was: {plural(last.seen.length, "device")} seen.</p>}
      {(Object.keys(headings) as (keyof typeof headings)[]).map((what) => {
        const list = differences.filter((d) => d.what === what);
        return list.length === 0 ? null : (
          <chakra.section key={what} mb="12px" data-difference={what}>
            <chakra.h3 fontWeight={700}>
              {headings[what]} <Muted>{list.length}</Muted>
            </chakra.h3>
            <ul>
              {list.map((d) => (
                <chakra.li key={d.what + d.interface} py="3px" borderBottom="1px solid" borderColor="hair">
                  {d.device ? (
                    <chakra.button
                      type="button"
                      onClick={() => {
                        setPick(`device:${d.device}`);
                        onClose();
                      }}
                      _hover={{ textDecoration: "underline" }}
                    >
                      {d.says}
                    </chakra.button>
                  ) : (
                    d.says
                  )}
                </chakra.li>
              ))}
            </ul>
          </chakra.section>
        );
      })}
      <Muted fontSize="small">
        Last sighted on this visit: {clock(last.until || last.from)}. {last.seen.length} seen, {before.seen.length} the
        time before.
      </Muted>
    </Dialog>
  );
}
