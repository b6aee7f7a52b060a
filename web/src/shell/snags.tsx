import { Link as A, Box, Button, Flex, HStack, Stack, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ChevronDown, ChevronRight } from "lucide-react";
import { memo, useState } from "react";
import { Link, useLocation } from "react-router";
import { api, must, sayWhy } from "../api/client";
import { complain, useEdit } from "../api/edit";
import type { KindGroup, Snag } from "../api/model";
import { siteQuery, useSite } from "../api/site";
import { Section } from "../parts";
import { Shelf, useKept } from "../parts/kept";
import { notice } from "../parts/notice";
import { useLatePick, usePick } from "../parts/pick";
import { plural, snagsOf } from "../parts/words";

const weights = {
  stops: { word: "Stops work", tone: "madder" },
  bites: { word: "Will bite", tone: "brass" },
  note: { word: "Worth knowing", tone: "chalk" },
} as const;

/** card is how a snag, or a kind of them, stands in the column. */
const card = {
  borderLeft: "4px solid",
  borderColor: "colorPalette.mark",
  bg: "colorPalette.soft",
  borderRadius: "tag",
  px: "9px",
  py: "7px",
  fontSize: "small",
} as const;

const keyOf = (s: Snag) => s.code + s.about.join();

/** SnagsHere lists what is wrong with what is picked. */
export function SnagsHere() {
  return <Here pick={useLatePick()} />;
}

const Here = memo(function Here({ pick }: { pick: string | undefined }) {
  const answer = useSite();
  const here = snagsOf(answer, pick);
  if (here.length === 0) return null;
  return (
    <Section title="Snags here">
      <Cards snags={here} />
    </Section>
  );
});

/** SnagsElsewhere lists all other snags by kind, the heaviest first. */
export function SnagsElsewhere() {
  return <Elsewhere pick={useLatePick()} />;
}

const Elsewhere = memo(function Elsewhere({ pick }: { pick: string | undefined }) {
  const answer = useSite();
  const here = new Set(snagsOf(answer, pick));
  const groups = answer.groups.map((g) => ({
    group: g,
    snags: g.snags.flatMap((i) => {
      const s = answer.snags[i];
      return s && !here.has(s) ? [s] : [];
    }),
  }));
  const shown = groups.filter((g) => g.snags.length > 0);
  if (shown.length === 0)
    return here.size > 0 ? null : (
      <Section title="Snags">
        <Text color="moss">None: nothing that is planned stops work or will bite.</Text>
      </Section>
    );
  return (
    <Section title={here.size > 0 ? "Snags elsewhere" : "Snags"}>
      <Stack as="ul" gap="8px">
        {shown.map(({ group, snags }) =>
          snags.length === 1 && snags[0] ? (
            <SnagCard key={group.weight + group.code} snag={snags[0]} />
          ) : (
            <GroupCard key={group.weight + group.code} group={group} snags={snags} />
          ),
        )}
      </Stack>
    </Section>
  );
});

/** Next says what comes next at the site, and leads there. */
export function Next() {
  const { next } = useSite();
  const { pathname } = useLocation();
  return (
    <Text fontSize="small" data-next={next.station}>
      <b>Next:</b>{" "}
      {pathname.endsWith(`/${next.station}`) ? (
        next.says
      ) : (
        <A asChild display="inline-flex" alignItems="center" minH={{ base: "44px", md: 0 }}>
          <Link to={`../${next.station}`}>{next.says}</Link>
        </A>
      )}
    </Text>
  );
}

/** How many of one kind are shown at first, and by each press for more. */
const first = 12;
const more = 40;

function Cards({ snags }: { snags: Snag[] }) {
  const [most, setMost] = useState(first);
  return (
    <>
      <Stack as="ul" gap="8px">
        {snags.slice(0, most).map((s) => (
          <SnagCard key={keyOf(s)} snag={s} />
        ))}
      </Stack>
      {snags.length > most && (
        <Button variant="plain" mt="6px" onClick={() => setMost(most + more)}>
          Show {plural(Math.min(more, snags.length - most), "more snag")} of {snags.length - most}
        </Button>
      )}
    </>
  );
}

const unfolded = new Shelf<boolean>();

/** GroupCard is snags of one kind in one entry, with one mend for all of them. */
function GroupCard({ group, snags }: { group: KindGroup; snags: Snag[] }) {
  const [open, setOpen] = useKept(unfolded, `snags/${group.code}`, false);
  const mend = useMendAll();
  return (
    <Box as="li" colorPalette={weights[group.weight].tone} {...card} data-group={group.code}>
      <Weight weight={group.weight} />
      <Button
        variant="plain"
        color="ink"
        fontWeight={400}
        fontSize="small"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        {open ? <ChevronDown aria-hidden="true" /> : <ChevronRight aria-hidden="true" />}
        {group.says}.
      </Button>
      {group.does && (
        <Flex>
          <Button variant="plain" colorPalette="chalk" fontSize="small" onClick={() => mend(group)} data-mend-all>
            {group.does}
          </Button>
        </Flex>
      )}
      {open && (
        <Box mt="6px">
          <Cards snags={snags} />
        </Box>
      )}
    </Box>
  );
}

/** useMendAll takes the mends of a whole kind as one change. */
function useMendAll() {
  const { id } = useSite();
  const client = useQueryClient();
  const edit = useEdit();
  return async (group: KindGroup) => {
    try {
      const { version } = await client.fetchQuery(siteQuery(id));
      const { edits, ended, left } = must(
        await api.GET("/api/sites/{id}/mend-all", { params: { path: { id }, query: { code: group.code } } }),
      );
      if (edits.length === 0)
        return notice.warn(`None of these ${group.snags.length} can be mended together: look at each.`);
      edit.mutate({
        edits,
        version,
        title: `${(group.does ?? "mend all").toLowerCase()}: ${group.says}`,
        says: left > 0 ? `${ended} mended; ${left} need a look of their own.` : `All ${ended} mended.`,
      });
    } catch (error) {
      complain(error);
    }
  };
}

function Weight({ weight }: { weight: Snag["weight"] }) {
  return (
    <Text fontSize="label" fontWeight={700} color="colorPalette">
      {weight === "stops" && <span aria-hidden="true">✕ </span>}
      {weights[weight].word}
    </Text>
  );
}

function SnagCard({ snag }: { snag: Snag }) {
  const { version } = useSite();
  const [pick, setPick] = usePick();
  const target = snag.about[0];
  return (
    <Box
      as="li"
      colorPalette={weights[snag.weight].tone}
      {...card}
      data-snag={snag.code}
      outline={target && pick === target ? "1px solid" : undefined}
    >
      <Weight weight={snag.weight} />
      <Button
        variant="plain"
        color="ink"
        fontWeight={400}
        fontSize="small"
        overflowWrap="anywhere"
        onClick={() => setPick(target)}
      >
        {snag.says}
      </Button>
      <Mends mends={snag.mends} version={version} />
      {snag.further && target && <Ways service={target.replace("service:", "")} />}
    </Box>
  );
}

/** Mends are the buttons that fix a snag, each for the version of the site that it was worked out for. */
function Mends({ mends, version }: { mends: Snag["mends"]; version: number }) {
  const edit = useEdit();
  if (mends.length === 0) return null;
  return (
    <HStack flexWrap="wrap" gap="2px 12px" mt="3px">
      {mends.map((m) => (
        <Button
          key={m.does}
          variant="plain"
          colorPalette="chalk"
          fontSize="small"
          onClick={() => edit.mutate({ edits: m.edits, version, title: m.does, says: `${m.does}: done.` })}
          data-mend
        >
          {m.does}
        </Button>
      ))}
    </HStack>
  );
}

/** Ways are what may be given up so that a service is opened: worked out when somebody asks. */
function Ways({ service }: { service: string }) {
  const { id, version } = useSite();
  const [asked, setAsked] = useState(false);
  const found = useQuery({
    queryKey: ["ways", id, service, version],
    queryFn: async ({ signal }) =>
      must(await api.GET("/api/sites/{id}/ways-out", { params: { path: { id }, query: { service } }, signal })),
    enabled: asked,
  });
  if (!asked)
    return (
      <Button variant="plain" colorPalette="chalk" fontSize="small" onClick={() => setAsked(true)} data-ways>
        Look for ways to open it
      </Button>
    );
  if (found.isFetching)
    return (
      <HStack mt="3px" fontSize="small">
        <Text color="muted" role="status">
          Trying what could be given up …
        </Text>
        <Button variant="plain" colorPalette="chalk" fontSize="small" onClick={() => setAsked(false)}>
          Stop
        </Button>
      </HStack>
    );
  if (found.error)
    return (
      <Text color="madder" role="alert">
        {sayWhy(found.error)}
      </Text>
    );
  if (found.data && found.data.length === 0)
    return <Text color="muted">No other way was found: an entry, a port or another router is needed.</Text>;
  return <Mends mends={found.data ?? []} version={version} />;
}
