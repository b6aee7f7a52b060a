import { Box, Button, Heading, HStack, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, must } from "../api/client";
import { useEdit } from "../api/edit";
import type { Answer, Edit, Link, LinkEnd } from "../api/model";
import { useSite } from "../api/site";
import { Mono, Muted, Tag, type Tone } from "../parts";
import { copy } from "../parts/copy";
import { later } from "../parts/later";
import { notice } from "../parts/notice";
import { useOpened, usePick } from "../parts/pick";
import { ifaceLabel, indexOf, label } from "../parts/words";

const AddLink = later(() => import("./add-link").then((m) => m.AddLink));

const states: Record<LinkEnd["state"], [text: string, tone: Tone]> = {
  open: ["listens, open", "moss"],
  shut: ["listens, shut", "madder"],
  dials: ["calls", "chalk"],
  unknown: ["calls, where to is not known", "brass"],
};

/** useLinkEnds gives this site's ends of its links, each with how the other end stands. */
export function useLinkEnds(): LinkEnd[] {
  const a = useSite();
  const { data } = useQuery({
    queryKey: ["links", a.id, a.version],
    queryFn: async () => must(await api.GET("/api/sites/{id}/links", { params: { path: { id: a.id } } })),
    enabled: a.site.links.length > 0,
  });
  return a.site.links.length > 0 ? (data ?? none) : none;
}

const none: LinkEnd[] = [];

/** saysEnd tells in few words how an end of a link stands, where its thread or its device is drawn. */
export const saysEnd = (end: LinkEnd) => {
  const far = end.far.name || "another site";
  if (end.end === "calls") return end.state === "dials" ? `calls ${far}` : `calls ${far}, where to is not known`;
  return end.state === "open" ? `called by ${far}` : `shut for ${far}`;
};

/** Links are the connections with other sites: which end listens, and what the other one dials. */
export function Links() {
  const a = useSite();
  const [opened, setOpened] = useOpened();
  const ends = useLinkEnds();
  return (
    <Box as="section" aria-label="Links with other sites" data-links>
      <HStack mb="6px" flexWrap="wrap">
        <Heading>Links with other sites</Heading>
        <Text flex="1 1 240px" fontSize="small" color="muted">
          {a.site.links.length === 0 && "One end listens and needs a forward; the other calls and gets what to dial."}
        </Text>
        <Button size="xs" onClick={() => setOpened("link")} disabled={a.site.devices.length === 0}>
          Link with another site
        </Button>
      </HStack>
      <Stack as="ul" gap="8px" listStyleType="none">
        {ends.map((end) => (
          <LinkRow key={end.id} end={end} />
        ))}
      </Stack>
      {opened === "link" && <AddLink onClose={() => setOpened(undefined)} />}
    </Box>
  );
}

/** LinkRow is one end of a link as it stands here, and how the other one stands. */
function LinkRow({ end }: { end: LinkEnd }) {
  const a = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  const wish = indexOf(a).services.get(end.service ?? "");
  const caller = indexOf(a).interfaces.get(end.interface ?? "");
  const here = wish
    ? `${label(wish.device)}, ${wish.service.name || "service"}`
    : caller
      ? ifaceLabel(caller.device, caller.iface)
      : "";
  const [text, tone] = states[end.state];
  const dial = () => {
    const dialled = (l: Link) => (l.id === end.id ? { ...l, far: { ...l.far, dial: end.dials } } : l);
    const of = ({ site }: Answer): Edit[] => [{ do: "links", links: site.links.map(dialled) }];
    edit.mutate({ of, title: "note what to dial", says: `${end.dials} is dialled now.` });
  };
  return (
    <li data-link={end.id} data-state={end.state}>
      <HStack flexWrap="wrap" gap="4px 10px">
        <Tag tone={tone}>{text}</Tag>
        <Button
          variant="plain"
          onClick={() => setPick(wish ? `service:${wish.service.id}` : `interface:${end.interface ?? ""}`)}
        >
          {here}
        </Button>
        <Text>
          {end.end === "listens" ? "←" : "→"} {end.far.name || "another site"}
          {end.name && <Muted>, {end.name}</Muted>}
        </Text>
        {end.dial && (
          <Button size="xs" onClick={async () => (await copy(end.dial ?? "")) && notice.say(`${end.dial} is copied.`)}>
            <Mono>{end.dial}</Mono>
          </Button>
        )}
        {end.dials && (
          <Button size="xs" variant="solid" onClick={dial}>
            Dial {end.dials} from now on
          </Button>
        )}
        <Button
          variant="plain"
          data-danger
          onClick={() =>
            edit.mutate({
              of: ({ site }) => [{ do: "links", links: site.links.filter((l) => l.id !== end.id) }],
              says: "This end of the link is removed.",
            })
          }
        >
          Remove
        </Button>
      </HStack>
      <Text fontSize="small" color="muted">
        {end.says}
        {end.there && ` There: ${end.there.says}`}
        {end.lost && " The other site has no such link any more, or is not here any more."}
      </Text>
    </li>
  );
}
