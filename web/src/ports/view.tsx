import { Button, HStack, Kbd, Text } from "@chakra-ui/react";
import { useMemo, useState } from "react";
import { useEdit } from "../api/edit";
import type { Answer, Forward, Router } from "../api/model";
import { useSite } from "../api/site";
import { Empty, Gauge, Section, Select, ViewHead } from "../parts";
import { useKeys } from "../parts/keys";
import { later } from "../parts/later";
import { useOpened, usePick } from "../parts/pick";
import { ifaceLabel, indexOf, plural, routerLabel, services } from "../parts/words";
import { Desk } from "../shell/desk";
import { ForwardTable } from "./forward-table";
import type { Eye, Foot } from "./geometry";
import { Held } from "./held";
import { Links } from "./links";
import { usePullTo } from "./pull";
import { ServiceCard, SwitchOn } from "./service-card";
import { Chips, useShow } from "./show";
import { SuggestedList, useSuggestedPorts } from "./suggested";
import { Threads } from "./threads";
import { Walk } from "./walk";
import { chainOf, rootsOf } from "./ways";

const Equip = later(() => import("./equip/equip").then((m) => m.Equip));
const AddService = later(() => import("./add-service").then((m) => m.AddService));

const routerOf = (a: Answer, id: string | undefined) => rootsOf(a).find((r) => r.id === id) ?? rootsOf(a)[0];

const nobody: string[] = [];

/** PortsView decides what is opened outside, and at which port. */
export function PortsView() {
  const a = useSite();
  const [pick, setPick] = usePick();
  const [opened, setOpened] = useOpened();
  const equip = () => setOpened("equip");
  const add = () => setOpened("service");
  const close = () => setOpened(undefined);
  const [chosen, setChosen] = useState<string>();
  const [pullTo, asking] = usePullTo();
  const [walked, setWalked] = useState<string[]>(nobody);
  const suggested = useSuggestedPorts();
  const router = routerOf(a, chosen);
  const showing = useShow(router, pick);
  const all = useMemo(() => services(a.site), [a.site]);
  const forward = pick?.startsWith("forward:") ? a.site.forwards.find((f) => `forward:${f.id}` === pick) : undefined;
  const picked = all.find(
    (w) => pick === `service:${w.service.id}` || (forward !== undefined && serviceOf(a, forward) === w.service.id),
  );
  const pull = (foot: Foot, eye: Eye | undefined) => {
    setPick(`service:${foot.service.id}`);
    pullTo(foot, eye?.ports ?? foot.service.ports, eye !== undefined);
  };
  const walk = (by: 1 | -1) => {
    const i = all.findIndex((w) => w.service.id === picked?.service.id);
    const next = all[i < 0 ? 0 : Math.max(0, Math.min(all.length - 1, i + by))];
    if (next) setPick(`service:${next.service.id}`);
  };
  useKeys({
    e: () => a.site.devices.length > 0 && equip(),
    s: () => suggested.setAsking(true),
    Enter: () => picked !== undefined && suggested.takeFor(picked.service.id),
    ArrowDown: () => walk(1),
    ArrowUp: () => walk(-1),
  });
  if (!router)
    return (
      <Desk>
        <Empty title="No router yet">
          Add one with the + on the line above, or take in a site file that holds one.
        </Empty>
      </Desk>
    );
  return (
    <Desk
      snagsFirst
      inspector={
        <>
          {picked && <ServiceCard key={picked.service.id} wish={picked} router={router} pullTo={pullTo} />}
          {forward && !picked && <BareForward forward={forward} />}
          <Walk router={router} onWalked={setWalked} />
          <RoomLeft router={router} />
        </>
      }
    >
      <ViewHead title="Ports" hint="Pull a thread to an outside port, or pick it and type">
        {rootsOf(a).length > 1 && (
          <Select
            aria-label="Router"
            width="auto"
            value={router.id}
            onChange={(e) => setChosen(e.currentTarget.value)}
            options={rootsOf(a).map((r) => [r.id, routerLabel(r)])}
          />
        )}
        <Button onClick={equip} disabled={a.site.devices.length === 0}>
          Equip… <Kbd>E</Kbd>
        </Button>
        <Button onClick={add} disabled={a.site.devices.length === 0}>
          Add a service
        </Button>
        {suggested.asking && <Button onClick={() => suggested.setAsking(false)}>Cancel</Button>}
        {suggested.asking ? (
          <Button variant="solid" disabled={suggested.changes.length === 0} onClick={suggested.takeAll}>
            {suggested.words}
          </Button>
        ) : (
          <Button variant="solid" onClick={() => suggested.setAsking(true)}>
            Suggest ports <Kbd>S</Kbd>
          </Button>
        )}
      </ViewHead>
      <SuggestedList suggested={suggested} />
      {all.length === 0 && a.site.forwards.length === 0 ? (
        <Empty title="No services yet">
          <Text>Say what a device is wanted for; the ports that this needs are known. Or say what it answers on.</Text>
          <HStack mt="12px" justifyContent="center">
            <Button variant="solid" onClick={equip} disabled={a.site.devices.length === 0}>
              Equip a device
            </Button>
            <Button onClick={add} disabled={a.site.devices.length === 0}>
              Add a service
            </Button>
          </HStack>
        </Empty>
      ) : (
        <>
          <Chips showing={showing} />
          <Threads
            router={router}
            ghosts={suggested.ghosts}
            show={showing.show}
            walked={walked}
            onUnfold={showing.unfold}
            onPull={pull}
          />
          <Marks ghosts={suggested.ghosts.length > 0} />
          <ForwardTable router={router} />
        </>
      )}
      {chainOf(a, router).map((r) => (
        <Held key={r.id} router={r} />
      ))}
      <Links />
      {opened === "equip" && <Equip onClose={close} />}
      {opened === "service" && <AddService onClose={close} />}
      {asking}
    </Desk>
  );
}

const serviceOf = (a: Answer, f: Forward) => f.service || indexOf(a).targets.get(f.id)?.service;

/** Marks says what the marks of the threads mean. */
function Marks({ ghosts }: { ghosts: boolean }) {
  return (
    <ul className="legend" aria-label="What the marks mean">
      <li className="tcp">━ TCP</li>
      <li className="udp">╌ UDP</li>
      <li>◯ open outside</li>
      <li>● taken by the router itself</li>
      {ghosts && <li className="suggested">┄ suggested</li>}
      <li className="stops">✕ clash</li>
    </ul>
  );
}

function RoomLeft({ router }: { router: Router }) {
  const a = useSite();
  const used = a.routers.find((r) => r.id === router.id)?.linesUsed ?? 0;
  const lines = router.form?.lines ?? 0;
  return (
    <Section title="Room left in the router">
      <Gauge
        label="Entries used"
        value={used}
        of={lines || Math.max(1, used)}
        tone={lines && used > lines ? "madder" : "brass"}
      />
      <Text fontSize="small" color="muted" mt="4px">
        {lines ? `${used} of ${lines} entries.` : `${plural(used, "entry", "entries")}, and no limit is known.`}
      </Text>
    </Section>
  );
}

function BareForward({ forward }: { forward: Forward }) {
  const a = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  const target = indexOf(a).interfaces.get(forward.to);
  return (
    <Section title={forward.name || "A forward made by hand"}>
      <Text fontSize="small" color="muted">
        Outside {forward.outside} {forward.protocol} to {target ? ifaceLabel(target.device, target.iface) : forward.to}.
        It belongs to no service, so no suggestion touches it.
      </Text>
      {!forward.enabled && <SwitchOn forward={forward} />}
      <Button
        size="xs"
        data-danger
        mt="6px"
        onClick={() => {
          setPick(undefined);
          edit.mutate({
            edits: [{ do: "remove-forward", id: forward.id }],
            version: a.version,
            says: "The forward is removed.",
          });
        }}
      >
        Remove it
      </Button>
    </Section>
  );
}
