import { Button, HStack, Input, List, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, must, sayWhy } from "../api/client";
import type { Fate, Router } from "../api/model";
import { useSite } from "../api/site";
import { Mono, Muted, Refusal, Section, Select } from "../parts";
import { chosen } from "../parts/choices";
import { ifaceLabel, indexOf } from "../parts/words";

const protocols = [
  ["tcp", "tcp"],
  ["udp", "udp"],
] as const;

type Asked = { port: number; protocol: "tcp" | "udp"; sender: string };

/** Walk tells what becomes of a packet to the outside address, and which forwards it takes. */
export function Walk({ router, onWalked }: { router: Router; onWalked: (forwards: string[]) => void }) {
  const a = useSite();
  const [port, setPort] = useState("");
  const [protocol, setProtocol] = useState<"tcp" | "udp">("tcp");
  const [sender, setSender] = useState("");
  const [asked, setAsked] = useState<Asked>();
  const outer = a.site.routers.find((r) => r.id === a.routers[0]?.id) ?? router;
  const placeOf = (forward: string) => a.site.forwards.findIndex((f) => f.id === forward) + 1;
  const { data, error } = useQuery({
    queryKey: ["walk", a.id, a.version, asked],
    enabled: asked !== undefined,
    retry: false,
    queryFn: async () =>
      must(
        await api.GET("/api/sites/{id}/walk", {
          params: {
            path: { id: a.id },
            query: { port: asked?.port ?? 0, protocol: asked?.protocol ?? "tcp", sender: asked?.sender || undefined },
          },
        }),
      ),
  });
  useEffect(() => {
    onWalked(data && data.fate !== "dropped" ? data.path.map((h) => h.forward) : []);
  }, [data, onWalked]);
  return (
    <Section title="Where a packet goes">
      <form
        onSubmit={(e) => {
          e.preventDefault();
          setAsked({ port: Number(port), protocol, sender: sender.trim() });
        }}
      >
        <HStack gap="5px">
          <Input
            aria-label="Outside port to follow"
            placeholder="8021"
            inputMode="numeric"
            fontFamily="mono"
            value={port}
            onChange={(e) => setPort(e.currentTarget.value)}
            w="70px"
            flex="none"
          />
          <Select
            aria-label="Protocol to follow"
            width="68px"
            options={protocols}
            value={protocol}
            onChange={(e) => setProtocol(chosen(protocols, e.currentTarget.value))}
          />
          <Input
            aria-label="Sender, empty for anywhere; one of the site is inside"
            title="The sender's address; one of the site is inside"
            placeholder="anywhere"
            fontFamily="mono"
            fontSize="small"
            value={sender}
            onChange={(e) => setSender(e.currentTarget.value)}
          />
        </HStack>
        <Button type="submit" size="xs" mt="6px" disabled={!port}>
          Follow it
        </Button>
      </form>
      {error && <Refusal>{sayWhy(error)}</Refusal>}
      {data && asked && (
        <List.Root as="ol" fontSize="small" mt="6px" aria-label="The way of the packet" data-fate={data.fate}>
          <List.Item>
            <Mono>{`${outer.wan?.address ?? outer.name}:${asked.port} ${asked.protocol}`}</Mono>
          </List.Item>
          {data.path.map((h) => (
            <List.Item key={h.router}>
              ↓ {a.site.routers.find((r) => r.id === h.router)?.name || h.router}
              {h.forward ? `, forward ${placeOf(h.forward)} of ${a.site.forwards.length}` : ""}
            </List.Item>
          ))}
          <List.Item>
            <Text fontWeight={700}>{ending(data)}</Text>
            {data.loops && data.fate === "forwarded" && (
              <Muted>
                {data.loops === "yes"
                  ? "It comes from inside, and the router loops it back."
                  : "It comes from inside: this works if the router loops back, which is not known."}
              </Muted>
            )}
          </List.Item>
        </List.Root>
      )}
    </Section>
  );

  function ending(fate: Fate): string {
    if (fate.fate === "router") return "The router itself answers there.";
    if (fate.fate === "dropped") return `Stopped: ${fate.says ?? "nobody takes it"}.`;
    const p = indexOf(a).interfaces.get(fate.interface ?? "");
    return `${p ? ifaceLabel(p.device, p.iface) : "nobody that is known"}, ${fate.address ?? "wherever it sits"}:${fate.port}`;
  }
}
