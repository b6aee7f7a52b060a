import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, sayWhy } from "../api/client";
import type { Fate, Router } from "../api/model";
import { useSite } from "../api/site";
import { Button, Input, Mono, Row, Section, Select } from "../parts";
import { ifaceLabel, placed } from "../parts/words";

type Asked = { port: number; protocol: "tcp" | "udp"; sender: string };

/** Walk tells what becomes of a packet from outside. */
export function Walk({ router }: { router: Router }) {
  const a = useSite();
  const [port, setPort] = useState("");
  const [protocol, setProtocol] = useState<"tcp" | "udp">("tcp");
  const [sender, setSender] = useState("");
  const [asked, setAsked] = useState<Asked>();
  const outer = a.site.routers.find((r) => !r.upstream) ?? router;
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
  return (
    <Section title="Where a packet goes">
      <chakra.form
        onSubmit={(e) => {
          e.preventDefault();
          setAsked({ port: Number(port), protocol, sender: sender.trim() });
        }}
      >
        <Row gap="5px" css={{ "& > input": { minWidth: 0 } }}>
          <Input
            aria-label="Outside port"
            placeholder="8021"
            inputMode="numeric"
            fontFamily="mono"
            value={port}
            onChange={(e) => setPort(e.target.value)}
            w="70px"
          />
          <Select
            aria-label="Protocol"
            value={protocol}
            onChange={(e) => setProtocol(e.target.value as "tcp" | "udp")}
            w="66px"
            px="4px"
          >
            <option>tcp</option>
            <option>udp</option>
          </Select>
          <Input
            aria-label="Sender, empty for anywhere"
            placeholder="anywhere"
            fontFamily="mono"
            fontSize="small"
            value={sender}
            onChange={(e) => setSender(e.target.value)}
            flex={1}
          />
        </Row>
        <Button type="submit" size="small" mt="6px" disabled={!port}>
          Follow it
        </Button>
      </chakra.form>
      {error && (
        <chakra.p role="alert" color="madder" fontSize="small">
          {sayWhy(error)}
        </chakra.p>
      )}
      {data && asked && (
        <chakra.ol fontSize="small" mt="6px" aria-label="The way of the packet" data-fate={data.fate}>
          <li>
            <Mono>{`${outer.wan?.address ?? outer.name}:${asked.port} ${asked.protocol}`}</Mono>
          </li>
          {data.path.map((h) => (
            <li key={h.router}>
              ↓ {a.site.routers.find((r) => r.id === h.router)?.name || h.router}
              {h.forward
                ? `, forward ${forwardPlace(
                    a.site.forwards.map((f) => f.id),
                    h.forward,
                  )} of ${a.site.forwards.length}`
                : ""}
            </li>
          ))}
          <li>
            <b>{ending(data)}</b>
          </li>
        </chakra.ol>
      )}
    </Section>
  );

  function ending(fate: Fate): string {
    if (fate.fate === "router") return "The router itself answers there.";
    if (fate.fate === "dropped") return `Stopped: ${fate.says ?? "nobody takes it"}.`;
    const p = placed(a.site).find((x) => x.iface.id === fate.interface);
    return `${p ? ifaceLabel(p.device, p.iface) : "nobody that is known"}, ${fate.address ?? "wherever it sits"}:${fate.port}`;
  }
}

const forwardPlace = (ids: string[], id: string) => ids.indexOf(id) + 1;
