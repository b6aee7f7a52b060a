import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, Outlet, useNavigate } from "react-router";
import { sayWhy } from "../api/client";
import { siteQuery, useEdit, useNews, useSite, useSiteId, useUndo } from "../api/site";
import { Button, Empty, Key } from "../parts";
import { useKeys } from "../parts/keys";
import { usePick } from "../parts/pick";
import { ownerOf, plural } from "../parts/words";
import { Bar } from "./bar";
import { Facts } from "./facts";
import { Find } from "./find";
import { Help } from "./help";
import { Stations, stations } from "./stations";

/** Shell is what is always in sight of an open site. */
export function Shell() {
  const id = useSiteId();
  const { data, error, isPending } = useQuery(siteQuery(id));
  useNews();
  if (data) return <OpenSite key={id} />;
  return (
    <>
      <Bar />
      <chakra.main p="40px" maxW="640px" m="auto">
        {isPending ? (
          <p role="status">Opening the site…</p>
        ) : (
          <Empty title="This site cannot be opened">
            <p>{sayWhy(error)}</p>
            <Link to="/">Back to all sites</Link>
          </Empty>
        )}
      </chakra.main>
    </>
  );
}

function OpenSite() {
  const site = useSite();
  const navigate = useNavigate();
  const undo = useUndo();
  const edit = useEdit();
  const [pick, setPick] = usePick();
  const [open, setOpen] = useState<"find" | "help">();
  const nextSnag = () => {
    const at = site.snags.findIndex((s) => pick !== undefined && s.about[0] === pick);
    setPick(site.snags[(at + 1) % site.snags.length]?.about[0]);
  };
  const firstMend = () => {
    const owner = ownerOf(pick, site.site);
    const snag = site.snags.find(
      (s) =>
        s.mends.length > 0 && pick && (s.about.includes(pick) || (owner && s.about.includes(`device:${owner.id}`))),
    );
    const mend = snag?.mends[0];
    if (mend) edit.mutate({ edits: mend.edits, says: `${mend.does}: done.` });
  };
  useKeys({
    ...Object.fromEntries(
      stations.map((s, i) => [
        String(i + 1),
        (e: KeyboardEvent) => (pickedTypes(e, pick) ? false : navigate(`${s.path}${location.search}`)),
      ]),
    ),
    "/": () => setOpen("find"),
    "?": () => setOpen("help"),
    n: nextSnag,
    f: firstMend,
    Escape: () => setPick(undefined),
    "Ctrl+z": () => site.undo && undo.mutate({ way: "undo" }),
    "Ctrl+Shift+z": () => site.redo && undo.mutate({ way: "redo" }),
    "Ctrl+y": () => site.redo && undo.mutate({ way: "redo" }),
  });
  const stops = site.snags.filter((s) => s.weight === "stops").length;
  return (
    <chakra.div
      display="grid"
      minH="100vh"
      h={{ base: "auto", md: "100vh" }}
      gridTemplateRows={{ base: "auto auto auto 1fr", md: "auto auto 1fr" }}
      gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "{sizes.stations} minmax(0, 1fr)" }}
      className="shell"
    >
      <Bar>
        <chakra.span borderLeft="1px solid" borderColor="onBarMuted" h="20px" />
        <chakra.span
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
          flex="0 1 auto"
          title={site.site.name}
        >
          {site.site.name}
        </chakra.span>
        <chakra.span flex={1} />
        <chakra.button
          type="button"
          onClick={() => setOpen("find")}
          bg="barField"
          color="onBarMuted"
          borderRadius="pill"
          px="14px"
          h="28px"
          w="300px"
          flex="0 1 300px"
          minW="120px"
          fontSize="small"
          display="flex"
          alignItems="center"
          justifyContent="space-between"
          gap="8px"
        >
          <chakra.span overflow="hidden" whiteSpace="nowrap" textOverflow="ellipsis">
            Find a device, address or port
          </chakra.span>
          <Key>/</Key>
        </chakra.button>
        <Button
          variant="bar"
          disabled={!site.undo || undo.isPending}
          onClick={() => undo.mutate({ way: "undo" })}
          title={site.undo ? `Take back: ${site.undo}` : "Nothing to take back"}
        >
          Undo
        </Button>
        <Button
          variant="bar"
          disabled={!site.redo || undo.isPending}
          onClick={() => undo.mutate({ way: "redo" })}
          title={site.redo ? `Do again: ${site.redo}` : "Nothing to do again"}
        >
          Redo
        </Button>
        <chakra.button
          type="button"
          onClick={nextSnag}
          title="Go to the next snag (N)"
          bg={stops > 0 ? "madderFill" : site.snags.length > 0 ? "brassFill" : "mossFill"}
          color="onFill"
          borderRadius="pill"
          px="10px"
          minH="24px"
          whiteSpace="nowrap"
          data-snags={site.snags.length}
        >
          {plural(site.snags.length, "snag")}
        </chakra.button>
        <Button variant="bar" aria-label="Help: all keys" title="All keys (?)" onClick={() => setOpen("help")}>
          ?
        </Button>
      </Bar>
      <Facts />
      <Stations />
      <Outlet />
      {open === "find" && <Find onClose={() => setOpen(undefined)} />}
      {open === "help" && <Help onClose={() => setOpen(undefined)} />}
    </chakra.div>
  );
}

/** pickedTypes leaves digits to the tape while a device is picked there. */
function pickedTypes(event: KeyboardEvent, pick: string | undefined): boolean {
  return /^\d$/.test(event.key) && pick !== undefined && location.pathname.endsWith("/addresses");
}
