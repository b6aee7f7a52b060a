import { Box, Button, HStack, Text } from "@chakra-ui/react";
import { api, must } from "../api/client";
import { complain, useEdit } from "../api/edit";
import type { Device, Evidence } from "../api/model";
import { useSite } from "../api/site";
import { useSweep } from "../api/survey";
import { Mono, Muted, Pairs, Remark, Section } from "../parts";
import { clock } from "../parts/words";
import { OfferCard } from "./offers";

const traitWords: Record<string, string> = {
  vendor: "asks for an address as",
  service: "offers",
  type: "announces itself as",
  model: "model",
  maker: "says it was made by",
  server: "runs",
  title: "page title",
  banner: "greets with",
  certificate: "certificate for",
  description: "describes itself as",
  link: "attached by",
};

/** Doubts are the questions about which device this is. */
export function Doubts({ device }: { device: Device }) {
  const { offers } = useSite();
  const mine = offers.filter((o) => o.old === device.id || o.new === device.id);
  return mine.map((o) => <OfferCard key={o.id} offer={o} />);
}

/** Seems is what a device seems to be, for as long as the user has not said it. */
export function Seems({ device }: { device: Device }) {
  const { guesses } = useSite();
  const edit = useEdit();
  const guess = guesses.find((g) => g.device === device.id);
  if (!guess || device.kind === guess.kind) return null;
  return (
    <Remark status="info" data-guess={guess.kind}>
      <Text>
        {device.kind ? "It answers like a " : "Seems to be a "}
        <b>{guess.kind}</b>: {guess.reasons.slice(0, 3).join("; ")}.
      </Text>
      {!device.kind && (
        <Button
          variant="plain"
          onClick={() => edit.mutate({ of: () => [{ do: "describe", id: device.id, kind: guess.kind }] })}
        >
          Yes, a {guess.kind}
        </Button>
      )}
    </Remark>
  );
}

function EvidenceText({ e }: { e: Evidence }) {
  return (
    <>
      {e.host && <b>{e.host} </b>}
      {e.address && <Mono>{e.address}</Mono>} {e.state}
      <Muted>
        {e.line ? ` · line ${e.line}` : ""}
        {e.at ? ` · ${clock(e.at)}` : ""}
        {e.until ? `, until ${clock(e.until)}` : ""}
      </Muted>
      {e.traits
        .filter((t) => t.name in traitWords)
        .map((t) => (
          <Box key={t.name + t.value}>
            {traitWords[t.name]} “{t.value}”
          </Box>
        ))}
    </>
  );
}

/** Belief is why we believe what we believe of a device. */
export function Belief({ device }: { device: Device }) {
  const { makers, randomised } = useSite();
  const evidence = device.interfaces
    .flatMap((i) => i.evidence)
    .toSorted((a, b) => (b.at ?? "").localeCompare(a.at ?? ""));
  const made = device.interfaces.flatMap((i): [string, React.ReactNode][] => {
    const maker = makers.find((m) => m.interface === i.id);
    if (randomised.includes(i.id)) return [["MAC", "randomised by the device: it may change with the next visit"]];
    return maker
      ? [
          [
            "maker",
            <span key={i.id}>
              {maker.name} <Muted>{maker.own ? "by your own list" : "by the public registry"}</Muted>
            </span>,
          ],
        ]
      : [];
  });
  return (
    <Section title="Why we believe it">
      {evidence.length === 0 ? (
        <Muted fontSize="small">Added by hand: nothing has been seen of it yet.</Muted>
      ) : (
        <Pairs
          rows={[
            ...made.slice(0, 1),
            ...evidence.map((e): [React.ReactNode, React.ReactNode] => [
              e.source,
              <EvidenceText key={e.source + e.state} e={e} />,
            ]),
          ]}
        />
      )}
    </Section>
  );
}

/** AnswersOn lists the ports of a device, and enters those as services that are none yet. */
export function AnswersOn({ device }: { device: Device }) {
  const { answersOn } = useSite();
  const edit = useEdit();
  const { start } = useSweep();
  const own = device.interfaces.map((i) => i.id);
  const heard = answersOn.filter((a) => own.includes(a.interface));
  const seen = device.interfaces.find((i) => i.seen)?.seen;
  const enter = (a: (typeof heard)[number]) =>
    edit.mutate({
      of: () => [
        {
          do: "put-service",
          id: device.id,
          service: { id: "", name: a.name, interface: a.interface, protocol: a.protocol, ports: a.port, canSetTo: [] },
        },
      ],
      says: `${a.name} on ${a.port} is entered. Open it on the Ports station.`,
    });
  if (device.services.length === 0 && heard.length === 0 && !seen) return null;
  const only = heard.filter((a) => !a.service);
  return (
    <Section title="It answers on">
      <Pairs
        rows={[
          ...device.services.map((s): [React.ReactNode, React.ReactNode] => [
            s.name || "service",
            <span key={s.id}>
              <Mono>{`${s.ports} ${s.protocol}`}</Mono>
              {heard.some((a) => a.service === s.id) && <Muted> · answered</Muted>}
            </span>,
          ]),
          ...only.map((a): [React.ReactNode, React.ReactNode] => [
            a.name,
            <HStack key={a.port} justifyContent="space-between">
              <Mono>{`${a.port} ${a.protocol}`}</Mono>
              <Button variant="plain" onClick={() => enter(a)}>
                Enter it
              </Button>
            </HStack>,
          ]),
        ]}
      />
      {seen && (
        <Button
          variant="plain"
          mt="4px"
          title="Looks at all 65,535 TCP ports of this one device, two at a time"
          onClick={() => start.mutate({ ports: seen })}
          disabled={start.isPending}
        >
          Look at all its ports
        </Button>
      )}
    </Section>
  );
}

/** SplitButton makes an interface a device of its own. */
export function SplitButton({ iface }: { iface: string }) {
  const answer = useSite();
  const edit = useEdit();
  const split = async () => {
    try {
      const edits = must(
        await api.GET("/api/sites/{id}/split", { params: { path: { id: answer.id }, query: { interface: iface } } }),
      );
      edit.mutate({
        edits,
        version: answer.version,
        title: "split a device in two",
        says: "The interface is a device of its own now.",
      });
    } catch (error) {
      complain(error);
    }
  };
  return (
    <Button variant="plain" onClick={split}>
      It is another device
    </Button>
  );
}
