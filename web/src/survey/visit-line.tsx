import { Button } from "@chakra-ui/react";
import { useState } from "react";
import { there, useEdit } from "../api/edit";
import { useSite } from "../api/site";
import { later } from "../parts/later";
import { plural } from "../parts/words";

const Comparison = later(() => import("./comparison").then((m) => m.Comparison));

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
      of: ({ site: now }) => {
        const stands = there(now.visits.find((v) => v.id === last.id));
        return [{ do: "put-visit", visit: { ...stands, until: new Date().toISOString() } }];
      },
      says: "The visit is finished. The next evidence begins another.",
    });
  return (
    <>
      {last.until ? "Last visit" : "Visit of"} {brief(last.from)}
      {before ? (
        <>
          {" · "}
          <Button variant="plain" onClick={() => setOpen(true)} fontSize="small">
            {`${plural(differences.length, "difference")} to ${brief(before.from)}`}
          </Button>
        </>
      ) : (
        ", the first"
      )}
      {!last.until && (
        <>
          {" · "}
          <Button variant="plain" onClick={finish} fontSize="small">
            Finish it
          </Button>
        </>
      )}
      {open && before && <Comparison before={before} last={last} onClose={() => setOpen(false)} />}
    </>
  );
}
