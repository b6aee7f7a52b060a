import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, sayWhy } from "../api/client";
import type { Visit } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Button, Field, Muted, Row, Select } from "../parts";
import { Dialog } from "../parts/dialog";
import { usePick } from "../parts/pick";
import { plural } from "../parts/words";

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
      edits: [{ do: "put-visit", visit: { ...last, until: new Date().toISOString() } }],
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

/** Comparison lists what changed from one visit to another, whichever two. */
function Comparison({ before, last, onClose }: { before: Visit; last: Visit; onClose: () => void }) {
  const { id, version, site } = useSite();
  const [, setPick] = usePick();
  const [from, setFrom] = useState(before.id);
  const [to, setTo] = useState(last.id);
  const { data, error } = useQuery({
    queryKey: ["compare", id, version, from, to],
    queryFn: async () =>
      must(await api.GET("/api/sites/{id}/compare", { params: { path: { id }, query: { before: from, after: to } } })),
  });
  const visit = (name: string, value: string, onChange: (v: string) => void) => (
    <Field label={name}>
      {(p) => (
        <Select {...p} value={value} onChange={(e) => onChange(e.target.value)}>
          {site.visits.map((v) => (
            <option key={v.id} value={v.id}>
              {date(v.from)}, {v.seen.length} seen
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
  return (
    <Dialog title="What changed between two visits" onClose={onClose} wide>
      <Row gap="14px" mb="12px" css={{ "& > *": { flex: 1 } }}>
        {visit("From the visit of", from, setFrom)}
        {visit("to the visit of", to, setTo)}
      </Row>
      {error && <p role="alert">{sayWhy(error)}</p>}
      {data?.length === 0 && <p>Everything was as before.</p>}
      {(Object.keys(headings) as (keyof typeof headings)[]).map((what) => {
        const list = data?.filter((d) => d.what === what) ?? [];
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
    </Dialog>
  );
}
