import { Box, Button, FileUpload, HStack, Input, Menu, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { EllipsisVertical } from "lucide-react";
import { useRef, useState } from "react";
import { sayWhy } from "../api/client";
import { hereQuery } from "../api/here";
import type { Summary } from "../api/model";
import { useNews } from "../api/news";
import { sitesQuery } from "../api/site";
import { Empty, ViewHead } from "../parts";
import { useFocusKept } from "../parts/focus";
import { useKeys } from "../parts/keys";
import { later } from "../parts/later";
import { plural } from "../parts/words";
import { Away } from "../shell/away";
import { Bar } from "../shell/bar";
import { useBackups } from "./backup";
import { useImport } from "./import";
import { useRemovals } from "./removals";
import { SiteCard } from "./site-card";

const Kinds = later(() => import("./kinds").then((m) => m.Kinds));
const RemovedSites = later(() => import("./removed").then((m) => m.RemovedSites));
const NewSite = later(() => import("./new-site").then((m) => m.NewSite));
const CopySite = later(() => import("./copy-site").then((m) => m.CopySite));
const AskWhich = later(() => import("./ask-which").then((m) => m.AskWhich));

/** SitesView lists all sites, makes new ones and takes site files. */
export function SitesView() {
  const { data, error, isPending } = useQuery(sitesQuery);
  const here = useQuery(hereQuery).data ?? [];
  const [making, setMaking] = useState(false);
  const [copying, setCopying] = useState<Summary>();
  const [kinds, setKinds] = useState(false);
  const [removed, setRemoved] = useState(false);
  const [want, setWant] = useState("");
  const search = useRef<HTMLInputElement>(null);
  const removals = useRemovals();
  const taking = useImport();
  const backups = useBackups();
  useNews();
  useFocusKept(`${data?.length}`);
  useKeys({ "/": () => search.current?.focus() });
  const all = data ?? [];
  const word = want.trim().toLowerCase();
  const shown = all.filter((s) => [s.name, s.subnet].some((t) => t.toLowerCase().includes(word)));
  const attached = (s: Summary) => here.some((h) => h.sites.includes(s.id));
  return (
    <FileUpload.Root maxFiles={1} onFileAccept={(e) => e.files[0] && taking.take(e.files[0])}>
      <title>Sites · Vest Pin</title>
      <FileUpload.HiddenInput aria-label="Site file" accept=".json,application/json" />
      <Away />
      <Bar />
      <Box as="main" tabIndex={-1} outline="none" maxW="1000px" m="auto">
        <FileUpload.Dropzone
          disableClick
          border="0"
          bg="transparent"
          minH="80vh"
          px={{ base: "12px", md: "24px" }}
          py="22px"
          aria-label="The sites; a site file can be dropped here"
        >
          <ViewHead title="Sites" hint={data && plural(all.length, "site")}>
            {all.length > 1 && (
              <Input
                ref={search}
                type="search"
                aria-label="Search the sites by name or subnet"
                placeholder="Search"
                width="150px"
                value={want}
                onChange={(e) => setWant(e.currentTarget.value)}
              />
            )}
            <FileUpload.Trigger asChild>
              <Button>Open a site file</Button>
            </FileUpload.Trigger>
            <Button variant="solid" onClick={() => setMaking(true)}>
              New site
            </Button>
            <More backups={backups} onKinds={() => setKinds(true)} onRemoved={() => setRemoved(true)} />
          </ViewHead>
          <Stack as="ul" gap="10px" mt="16px">
            {shown.map((s) => (
              <SiteCard
                key={s.id}
                site={s}
                here={attached(s)}
                onCopy={() => setCopying(s)}
                onRemove={() => removals.remove(s)}
              />
            ))}
          </Stack>
          {isPending && <Text role="status">Looking for sites…</Text>}
          {error && <Empty title="The sites cannot be read">{sayWhy(error)}</Empty>}
          {data && all.length === 0 && (
            <Empty title="No site yet">
              <Text>Make one of the network that this computer is attached to, or drop a site file here.</Text>
              <Button variant="solid" mt="12px" onClick={() => setMaking(true)}>
                New site
              </Button>
            </Empty>
          )}
          {all.length > 0 && shown.length === 0 && (
            <Empty title={`No site matches “${want}”`}>
              <Button variant="plain" onClick={() => setWant("")}>
                Show all {all.length}
              </Button>
            </Empty>
          )}
        </FileUpload.Dropzone>
      </Box>
      {making && <NewSite onClose={() => setMaking(false)} />}
      {copying && <CopySite site={copying} onClose={() => setCopying(undefined)} />}
      {taking.asked && <AskWhich asked={taking.asked} onTake={taking.take} onClose={taking.leave} />}
      {backups.asking}
      {removed && <RemovedSites onClose={() => setRemoved(false)} />}
      {kinds && <Kinds onClose={() => setKinds(false)} />}
    </FileUpload.Root>
  );
}

type MoreProps = { backups: ReturnType<typeof useBackups>; onKinds: () => void; onRemoved: () => void };

/** More is what is seldom needed: the backup of everything and its way back, removed sites, a firm's own kinds of device. */
function More({ backups, onKinds, onRemoved }: MoreProps) {
  return (
    <Menu.Root positioning={{ placement: "bottom-end", strategy: "fixed" }}>
      <Menu.Trigger asChild>
        <Button aria-label="More: backup, removed sites, kinds of device" px="6px">
          <EllipsisVertical aria-hidden="true" />
        </Button>
      </Menu.Trigger>
      <Menu.Positioner>
        <Menu.Content>
          <Menu.Item value="backup" asChild>
            <a href="/api/backup" download>
              <HStack>Save a backup of everything</HStack>
            </a>
          </Menu.Item>
          <Menu.Item value="restore" onSelect={backups.choose}>
            Restore a backup
          </Menu.Item>
          <Menu.Item value="removed" onSelect={onRemoved}>
            Removed sites
          </Menu.Item>
          <Menu.Item value="kinds" onSelect={onKinds}>
            Kinds of device
          </Menu.Item>
        </Menu.Content>
      </Menu.Positioner>
    </Menu.Root>
  );
}
