import { Link as A, Box, Button, Grid, Kbd, SkipNavLink, Spacer, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { CircleHelp, Redo2, Search, Undo2 } from "lucide-react";
import { memo, type ReactNode, Suspense, useState } from "react";
import { Link, Outlet, useLocation, useNavigate, useParams } from "react-router";
import { sayWhy } from "../api/client";
import { useEdit, useUndo } from "../api/edit";
import { useNews } from "../api/news";
import { OpenSite, siteQuery, useSite } from "../api/site";
import { Empty } from "../parts";
import { useFocusKept } from "../parts/focus";
import { holdKeys, useKeys } from "../parts/keys";
import { later } from "../parts/later";
import { carried, usePick } from "../parts/pick";
import { plural, snagsOf } from "../parts/words";
import { Away } from "./away";
import { Bar } from "./bar";
import { Facts } from "./facts";
import { Stations, stations } from "./stations";

const Find = later(() => import("./find").then((m) => m.Find));
const Help = later(() => import("./help").then((m) => m.Help));

/** Shell is what is always in sight of an open site. */
export function Shell() {
  const id = useParams().site ?? "";
  const { data, error, isPending } = useQuery(siteQuery(id));
  useNews();
  if (data)
    return (
      <OpenSite value={data}>
        <Frame key={id} />
      </OpenSite>
    );
  return (
    <>
      <title>Vest Pin</title>
      <Bar />
      <Box as="main" p="40px" maxW="640px" m="auto">
        {isPending ? (
          <Text role="status">Opening the site…</Text>
        ) : (
          <Empty page title="This site cannot be opened">
            <Text>{sayWhy(error)}</Text>
            <A asChild display="inline-flex" alignItems="center" minH={{ base: "44px", md: "24px" }}>
              <Link to="/">Back to all sites</Link>
            </A>
          </Empty>
        )}
      </Box>
    </>
  );
}

/** Hands is what follows the pick and the station without being seen: keys, title, focus. */
function Hands({ onOpen }: { onOpen: (what: "find" | "help") => void }) {
  const site = useSite();
  const { pathname } = useLocation();
  const [pick] = usePick();
  const station = stations.find((s) => pathname.endsWith(`/${s.path}`));
  useShellKeys(onOpen);
  useFocusKept(`${site.version} ${pick} ${pathname}`);
  return <title>{`${station ? `${station.title} · ` : ""}${site.site.name} · Vest Pin`}</title>;
}

function Frame() {
  const [open, setOpen] = useState<"find" | "help">();
  const close = () => setOpen(undefined);
  return (
    <Grid
      minH="100vh"
      h={{ base: "auto", md: "100vh" }}
      gridTemplateRows={{ base: "auto auto auto 1fr auto", md: "auto auto auto minmax(0, 1fr)" }}
      gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "{sizes.stations} minmax(0, 1fr)" }}
      className="shell"
    >
      <Hands onOpen={setOpen} />
      <SkipNavLink id="work" minH={{ base: "44px", md: "24px" }} display="inline-flex" alignItems="center">
        Skip to the work
      </SkipNavLink>
      <Away />
      <SiteBar onOpen={setOpen} />
      <Facts />
      <Stations />
      <Suspense
        fallback={
          <Text role="status" p="16px">
            One moment…
          </Text>
        }
      >
        <Outlet />
      </Suspense>
      {open === "find" && <Find onClose={close} />}
      {open === "help" && <Help onClose={close} />}
    </Grid>
  );
}

/** useNextSnag goes from one snag to the next, the heaviest first. */
function useNextSnag() {
  const { groups, snags } = useSite();
  const [pick, setPick] = usePick();
  return () => {
    const order = groups.flatMap((g) => g.snags.flatMap((i) => snags[i]?.about[0] ?? []));
    setPick(order[(order.indexOf(pick ?? "") + 1) % Math.max(1, order.length)]);
  };
}

/** useShellKeys are the keys that serve every station. */
function useShellKeys(open: (what: "find" | "help") => void) {
  const site = useSite();
  const navigate = useNavigate();
  const { undo, redo } = useUndo();
  const edit = useEdit();
  const [pick, setPick] = usePick();
  const nextSnag = useNextSnag();
  const firstMend = () => {
    const mend = snagsOf(site, pick).find((s) => s.mends.length > 0)?.mends[0];
    if (mend) edit.mutate({ edits: mend.edits, version: site.version, title: mend.does, says: `${mend.does}: done.` });
  };
  const inspect = () => {
    const aside = document.querySelector<HTMLElement>("[data-inspector]");
    if (aside?.contains(document.activeElement)) document.querySelector<HTMLElement>("main")?.focus();
    else aside?.focus();
  };
  useKeys(
    {
      ...Object.fromEntries(
        stations.map((s, i) => [String(i + 1), () => navigate(`${s.path}${carried(location.search)}`)] as const),
      ),
      "/": () => {
        holdKeys();
        open("find");
      },
      "?": () => open("help"),
      n: nextSnag,
      f: firstMend,
      i: inspect,
      Escape: () => setPick(undefined),
      "Ctrl+z": () => site.undo && undo(),
      "Ctrl+Shift+z": () => site.redo && redo(),
      "Ctrl+y": () => site.redo && redo(),
    },
    true,
  );
}

/** SnagCount says how many snags there are, and goes to the next one. */
function SnagCount() {
  const site = useSite();
  const nextSnag = useNextSnag();
  const stops = site.groups.some((g) => g.weight === "stops");
  return (
    <Button
      variant="solid"
      size="xs"
      colorPalette={stops ? "madder" : site.snags.length > 0 ? "brass" : "moss"}
      borderRadius="pill"
      minH={{ base: "44px", md: "24px" }}
      fontSize="text"
      onClick={nextSnag}
      title="Go to the next snag (N)"
      data-snags={site.snags.length}
    >
      {plural(site.snags.length, "snag")}
    </Button>
  );
}

/** OnDesks is what a narrow window has no room for. */
function OnDesks({ children }: { children: ReactNode }) {
  return (
    <Box as="span" display={{ base: "none", md: "inline" }} minW={0} truncate>
      {children}
    </Box>
  );
}

const SiteBar = memo(function SiteBar({ onOpen }: { onOpen: (what: "find" | "help") => void }) {
  const site = useSite();
  const { undo, redo } = useUndo();
  return (
    <Bar>
      <Box borderLeft="1px solid" borderColor="onBarMuted" h="20px" display={{ base: "none", md: "block" }} />
      <Text overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" flex="0 1 auto" title={site.site.name}>
        {site.site.name}
      </Text>
      <Spacer />
      <Button
        variant="ghost"
        aria-label="Find a device, address or port"
        onClick={() => onOpen("find")}
        bg="barField"
        color="onBarMuted"
        borderRadius="pill"
        px={{ base: 0, md: "14px" }}
        h={{ base: "44px", md: "28px" }}
        flex={{ base: "none", md: "0 1 300px" }}
        minW={{ base: "44px", md: "120px" }}
        fontSize="small"
        fontWeight={400}
        justifyContent={{ base: "center", md: "space-between" }}
      >
        <Box as="span" display={{ base: "flex", md: "none" }}>
          <Search aria-hidden="true" />
        </Box>
        <OnDesks>Find a device, address or port</OnDesks>
        <OnDesks>
          <Kbd>/</Kbd>
        </OnDesks>
      </Button>
      <Button
        variant="ghost"
        aria-label="Undo"
        aria-disabled={!site.undo}
        color={site.undo ? "inherit" : "off"}
        onClick={() => site.undo && undo()}
        title={site.undo ? `Take back: ${site.undo}` : "Nothing to take back"}
      >
        <Undo2 aria-hidden="true" />
        <OnDesks>Undo</OnDesks>
      </Button>
      <Button
        variant="ghost"
        aria-label="Redo"
        aria-disabled={!site.redo}
        color={site.redo ? "inherit" : "off"}
        onClick={() => site.redo && redo()}
        title={site.redo ? `Do again: ${site.redo}` : "Nothing to do again"}
      >
        <Redo2 aria-hidden="true" />
        <OnDesks>Redo</OnDesks>
      </Button>
      <SnagCount />
      <Button
        variant="ghost"
        aria-label="Help: all keys"
        title="All keys (?)"
        display={{ base: "none", md: "inline-flex" }}
        onClick={() => onOpen("help")}
      >
        <CircleHelp aria-hidden="true" />
      </Button>
    </Bar>
  );
});
