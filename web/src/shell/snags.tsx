import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import type { Snag } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Button, Row, Section } from "../parts";
import { usePick } from "../parts/pick";
import { about, plural } from "../parts/words";

const weights = {
  stops: { word: "Stops work", edge: "madderFill", bg: "madderSoft", color: "madder" },
  bites: { word: "Will bite", edge: "brassMark", bg: "brassSoft", color: "brass" },
  note: { word: "Worth knowing", edge: "chalk", bg: "chalkSoft", color: "chalk" },
} as const;

/** useParted parts the snags into those of what is picked and the others. */
function useParted() {
  const site = useSite();
  const [pick] = usePick();
  const here = site.snags.filter((s) => about(s.about, pick, site.site));
  return { here, elsewhere: site.snags.filter((s) => !here.includes(s)) };
}

const key = (s: Snag) => s.code + s.about.join();

/** SnagsHere lists what is wrong with what is picked. */
export function SnagsHere() {
  const { here } = useParted();
  if (here.length === 0) return null;
  return (
    <Section title="Snags here">
      <chakra.ul display="flex" flexDirection="column" gap="8px">
        {here.map((s) => (
          <SnagCard key={key(s)} snag={s} />
        ))}
      </chakra.ul>
    </Section>
  );
}

/** SnagsElsewhere lists all other snags, the weightiest first. */
export function SnagsElsewhere() {
  const { here, elsewhere } = useParted();
  const [most, setMost] = useState(25);
  if (elsewhere.length === 0)
    return here.length > 0 ? null : (
      <Section title="Snags">
        <chakra.p color="moss">None: nothing here stops work or will bite.</chakra.p>
      </Section>
    );
  return (
    <Section title={here.length > 0 ? "Snags elsewhere" : "Snags"}>
      <chakra.ul display="flex" flexDirection="column" gap="8px">
        {elsewhere.slice(0, most).map((s) => (
          <SnagCard key={key(s)} snag={s} />
        ))}
      </chakra.ul>
      {elsewhere.length > most && (
        <Button variant="mend" mt="8px" onClick={() => setMost(most + 100)}>
          Show {plural(elsewhere.length - most, "more snag")}
        </Button>
      )}
    </Section>
  );
}

function SnagCard({ snag }: { snag: Snag }) {
  const { version } = useSite();
  const [pick, setPick] = usePick();
  const edit = useEdit();
  const w = weights[snag.weight as keyof typeof weights];
  const target = snag.about[0];
  return (
    <chakra.li
      borderLeft="4px solid"
      borderColor={w.edge}
      bg={w.bg}
      borderRadius="4px"
      px="9px"
      py="7px"
      fontSize="small"
      data-snag={snag.code}
      outline={target && pick === target ? "1px solid" : undefined}
    >
      <chakra.p fontSize="label" fontWeight={700} color={w.color}>
        <span aria-hidden="true">{snag.weight === "stops" ? "✕ " : ""}</span>
        {w.word}
      </chakra.p>
      <chakra.button
        type="button"
        onClick={() => setPick(target)}
        _hover={{ textDecoration: "underline" }}
        overflowWrap="anywhere"
      >
        {snag.says}
      </chakra.button>
      {snag.mends.length > 0 && (
        <Row flexWrap="wrap" gap="2px 12px" mt="3px">
          {snag.mends.map((m) => (
            <Button
              key={m.does}
              variant="mend"
              disabled={edit.isPending}
              onClick={() => edit.mutate({ edits: m.edits, version, title: m.does, says: `${m.does}: done.` })}
              data-mend
            >
              {m.does}
            </Button>
          ))}
        </Row>
      )}
    </chakra.li>
  );
}
