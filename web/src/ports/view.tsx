import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import { api, must, sayWhy } from "../api/client";
import type { Device, Edit, Forward, Service } from "../api/model";
import { useEdit, usePlan, useSite } from "../api/site";
import { Button, Empty, Gauge, Key, Row, Section, Select, ViewHead } from "../parts";
import { useKeys } from "../parts/keys";
import { useNotice } from "../parts/notice";
import { usePick } from "../parts/pick";
import { ifaceLabel, label, plural, services } from "../parts/words";
import { Desk } from "../shell/desk";
import { ForwardTable } from "./forward-table";
import type { Eye, Foot } from "./geometry";
import { AddService, ServiceCard } from "./service-card";
import { Threads } from "./threads";
import { Walk } from "./walk";

/** PortsView decides what is opened outside, and at which port. */
export function PortsView() {
  const a = useSite();
  const { site } = a;
  const edit = useEdit();
  const notice = useNotice();
  const [pick, setPick] = usePick();
  const [adding, setAdding] = useState(false);
  const [suggesting, setSuggesting] = useState(false);
  const [chosen, setChosen] = useState<string>();
  const plan = usePlan("ports", suggesting);
  const router = site.routers.find((r) => r.id === chosen) ?? site.routers.find((r) => !r.upstream) ?? site.routers[0];
  const changes = suggesting ? (plan.data?.changes ?? []) : [];
  const all = services(site);
  const forward = pick?.startsWith("forward:") ? site.forwards.find((f) => `forward:${f.id}` === pick) : undefined;
  const picked =
    all.find((w) => pick === `service:${w.service.id}`) ?? all.find((w) => forward?.service === w.service.id);

  /** openAt opens a service at exactly an outside port; the server knows through which routers. */
  const openAt = async ({ service, device }: { service: Service; device: Device }, outside: string) => {
    const name = `${label(device)} ${service.name ?? ""}`.trim();
    try {
      const edits = must(
        await api.GET("/api/sites/{id}/thread", {
          params: { path: { id: a.id }, query: { service: service.id, outside } },
        }),
      );
      edit.mutate({ edits, title: `open ${name} at ${outside}`, says: `${name} is open at ${outside}.` });
    } catch (error) {
      notice.warn(sayWhy(error));
    }
  };
  const pull = (foot: Foot, eye: Eye | undefined) => {
    setPick(`service:${foot.service.id}`);
    openAt(foot, eye && size(eye.ports) === size(foot.service.ports) ? eye.ports : foot.service.ports);
  };
  const takeAll = () =>
    edit.mutate(
      {
        edits: changes.map((c) => c.edit),
        version: plan.data?.version,
        title: `take ${plural(changes.length, "suggested change")}`,
        says: `${plural(changes.length, "change")} taken.`,
      },
      { onSuccess: () => setSuggesting(false) },
    );
  const walk = (by: 1 | -1) => {
    const i = all.findIndex((w) => w.service.id === picked?.service.id);
    const next = all[i < 0 ? 0 : Math.max(0, Math.min(all.length - 1, i + by))];
    if (next) setPick(`service:${next.service.id}`);
  };
  useKeys({
    s: () => setSuggesting(true),
    Enter: () => changes.length > 0 && takeAll(),
    ArrowDown: () => walk(1),
    ArrowUp: () => walk(-1),
  });

  if (!router)
    return (
      <Desk>
        <Empty title="No router yet">The site file holds no router. Take in one that does.</Empty>
      </Desk>
    );
  const state = a.routers.find((r) => r.id === router.id);
  const lines = router.form?.lines ?? 0;
  return (
    <Desk
      snagsFirst
      inspector={
        <>
          {picked && (
            <ServiceCard
              key={picked.service.id}
              wish={picked}
              router={router}
              onOpenAt={(ports) => openAt(picked, ports)}
            />
          )}
          {forward && !picked && <BareForward forward={forward} />}
          <Walk router={router} />
          <Section title="Room left in the router">
            <Gauge
              label="Lines used"
              value={state?.linesUsed ?? 0}
              of={lines || Math.max(1, state?.linesUsed ?? 0)}
              tone={lines && (state?.linesUsed ?? 0) > lines ? "madderFill" : "brassMark"}
            />
            <chakra.p fontSize="small" color="muted" mt="4px">
              {lines
                ? `${state?.linesUsed} of ${lines} lines.`
                : `${plural(state?.linesUsed ?? 0, "line")}, and no limit is known.`}
            </chakra.p>
          </Section>
        </>
      }
    >
      <ViewHead title="Ports" hint="Pull a thread from a device port to an outside port, or pick it and type">
        {site.routers.length > 1 && (
          <Select aria-label="Router" value={router.id} onChange={(e) => setChosen(e.target.value)} w="auto">
            {site.routers.map((r) => (
              <option key={r.id} value={r.id}>
                {r.name || r.id}
              </option>
            ))}
          </Select>
        )}
        <Button onClick={() => setAdding(true)} disabled={site.devices.length === 0}>
          Add a service
        </Button>
        {suggesting ? (
          <Row>
            <Button onClick={() => setSuggesting(false)}>Leave them</Button>
            <Button variant="lead" disabled={changes.length === 0 || edit.isPending} onClick={takeAll}>
              {plan.isFetching
                ? "Working it out…"
                : changes.length === 0
                  ? "Nothing to change"
                  : `Take ${plural(changes.length, "change")}`}{" "}
              <Key>⏎</Key>
            </Button>
          </Row>
        ) : (
          <Button variant="lead" onClick={() => setSuggesting(true)}>
            Suggest ports <Key>S</Key>
          </Button>
        )}
      </ViewHead>
      {suggesting && plan.data && (
        <chakra.ul
          aria-label="Suggested"
          bg="brassSoft"
          borderLeft="4px solid"
          borderColor="brassMark"
          px="12px"
          py="8px"
          borderRadius="4px"
          data-suggested
        >
          {changes.map((c) => (
            <chakra.li key={JSON.stringify(c.edit)} display="flex" gap="10px" py="1px">
              <chakra.span flex={1}>{c.why}</chakra.span>
              <Button
                variant="mend"
                disabled={edit.isPending}
                onClick={() =>
                  edit.mutate({ edits: [c.edit], version: plan.data?.version, says: "One change is taken." })
                }
              >
                {wordOf(c.edit)}
              </Button>
            </chakra.li>
          ))}
          {plan.data.unmet.map((u) => (
            <chakra.li key={u.says} color="madder">
              {u.says}
            </chakra.li>
          ))}
          {!plan.data.proven && <li>The search was cut off: there may be a better answer.</li>}
          {changes.length === 0 && plan.data.unmet.length === 0 && <li>Everything that is to be opened is open.</li>}
        </chakra.ul>
      )}
      {all.length === 0 && site.forwards.length === 0 ? (
        <Empty title="No services yet">
          <p>Say what a device answers on, such as a web page at 80 tcp; then open it or keep it in.</p>
          <Button variant="lead" mt="12px" onClick={() => setAdding(true)} disabled={site.devices.length === 0}>
            Add a service
          </Button>
        </Empty>
      ) : (
        <>
          <Threads router={router} onPull={pull} />
          <chakra.ul
            display="flex"
            gap="18px"
            fontSize="small"
            color="muted"
            aria-label="What the marks mean"
            flexWrap="wrap"
          >
            <chakra.li color="chalk">━ TCP</chakra.li>
            <chakra.li color="plum">╌ UDP</chakra.li>
            <li>◯ open outside</li>
            <li>● taken by the router itself</li>
            <chakra.li color="madder">✕ clash</chakra.li>
          </chakra.ul>
          <ForwardTable router={router} />
        </>
      )}
      {adding && <AddService onClose={() => setAdding(false)} />}
    </Desk>
  );
}

function BareForward({ forward }: { forward: Forward }) {
  const { site } = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  const target = site.devices.flatMap((d) => d.interfaces.map((i) => ({ d, i }))).find((x) => x.i.id === forward.to);
  return (
    <Section title={forward.name || "A forward made by hand"}>
      <chakra.p fontSize="small" color="muted">
        Outside {forward.outside} {forward.protocol} to {target ? ifaceLabel(target.d, target.i) : forward.to}. It
        belongs to no service, so no suggestion touches it.
      </chakra.p>
      <Button
        size="small"
        variant="danger"
        mt="6px"
        onClick={() => {
          setPick(undefined);
          edit.mutate({ edits: [{ do: "remove-forward", id: forward.id }], says: "The forward is removed." });
        }}
      >
        Remove it
      </Button>
    </Section>
  );
}

function wordOf(e: Edit): string {
  if (e.do === "put-forward") return `Open at ${e.forward.outside}`;
  if (e.do === "put-service") return `Set to ${e.service.ports}`;
  return "Shut it";
}

/** size tells how many ports a list holds. */
function size(ports: string): number {
  return ports.split(",").reduce((n, part) => {
    const [lo = 0, hi = lo] = part.split("-").map(Number);
    return n + hi - lo + 1;
  }, 0);
}
