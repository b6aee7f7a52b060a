import { chakra } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import type { Group, Router, Step } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Button, Empty, Gauge, Muted, Pairs, Row, Section, Tag, ViewHead } from "../parts";
import { copy } from "../parts/copy";
import { useNotice } from "../parts/notice";
import { usePick } from "../parts/pick";
import { about, clock, plural } from "../parts/words";
import { Desk } from "../shell/desk";
import { RouterForm } from "../shell/router-form";

/** PlaceView is the sheet: what to type where, in an order that saves walking. */
export function PlaceView() {
  const a = useSite();
  const [form, setForm] = useState<Router>();
  const [saving, setSaving] = useState(false);
  const again = a.sheet.flatMap((g) => g.steps).filter((s) => s.state === "again");
  return (
    <Desk
      inspector={
        <>
          <Section title="Done so far">
            <Gauge label="Steps done" value={a.done} of={a.allSteps} tone="mossMark" />
            <chakra.p fontSize="small" color="muted" mt="4px">
              {a.done} of {plural(a.allSteps, "step")}
            </chakra.p>
          </Section>
          {again.length > 0 && (
            <chakra.div
              bg="brassSoft"
              borderLeft="4px solid"
              borderColor="brassMark"
              p="8px"
              fontSize="small"
              borderRadius="4px"
            >
              <b>The plan changed after {plural(again.length, "step")} was done.</b> Do{" "}
              {again.length === 1 ? "it" : "them"} again with the new values.
            </chakra.div>
          )}
          {a.site.routers.map((r) => (
            <FormCard key={r.id} router={r} onChange={() => setForm(r)} />
          ))}
        </>
      }
    >
      <ViewHead title="Put in place" hint="In the order that saves walking; press a value to copy it">
        <Button onClick={() => window.print()} disabled={a.sheet.length === 0}>
          Print
        </Button>
        <chakra.div position="relative">
          <Button onClick={() => setSaving(!saving)} aria-expanded={saving}>
            Save as a file
          </Button>
          {saving && (
            <chakra.ul
              position="absolute"
              right={0}
              top="36px"
              bg="card"
              border="1px solid"
              borderColor="hair"
              borderRadius="8px"
              boxShadow="0 6px 20px rgb(0 0 0 / 0.18)"
              zIndex={5}
              w="330px"
              py="6px"
            >
              {a.files.map((f) => (
                <li key={f.name}>
                  <chakra.a
                    href={`/api/sites/${encodeURIComponent(a.id)}/files/${encodeURIComponent(f.name)}`}
                    download
                    onClick={() => setSaving(false)}
                    display="block"
                    px="14px"
                    py="6px"
                    _hover={{ bg: "brassSoft" }}
                  >
                    <b>{f.fileName}</b>
                    <chakra.span display="block" fontSize="small" color="muted">
                      {f.for}
                    </chakra.span>
                  </chakra.a>
                </li>
              ))}
            </chakra.ul>
          )}
        </chakra.div>
      </ViewHead>
      {a.sheet.length === 0 ? (
        <Empty title="Nothing to put in place yet">
          Pin a device or open a port: what is to be typed then stands here.
        </Empty>
      ) : (
        <Sheet groups={a.sheet} name={a.site.name} />
      )}
      {form && <RouterForm router={form} onClose={() => setForm(undefined)} />}
    </Desk>
  );
}

const takes: Record<string, string> = { one: "one port", range: "a port or a range", list: "a list of ports" };
const renumbers: Record<string, string> = { none: "not at all", one: "single ports only", range: "ports and ranges" };
const reserves: Record<string, string> = {
  anywhere: "anywhere in the LAN",
  "inside-range": "inside its DHCP range",
  "outside-range": "outside its DHCP range",
  no: "not at all",
};

function FormCard({ router, onChange }: { router: Router; onChange: () => void }) {
  const { routers } = useSite();
  const f = router.form;
  const used = routers.find((r) => r.id === router.id)?.linesUsed ?? 0;
  return (
    <Section title={`The form of ${router.name || "the router"}`}>
      <Pairs
        rows={[
          [
            "A line takes",
            `${takes[f?.portsPerLine ?? "range"]}, ${f?.protocols.includes("both") ? "one protocol or both" : "one protocol"}`,
          ],
          ["Renumbers", renumbers[f?.renumber ?? "range"]],
          ["Lines", f?.lines ? `${used} of ${f.lines}` : `${used}, no limit known`],
          ["Reserves", reserves[f?.reserves ?? "anywhere"]],
          [
            "Limits the sender",
            f?.limitsSender === "no" || !f?.limitsSender
              ? "no"
              : `to ${f.limitsSender === "address" ? "an address" : "a network"}`,
          ],
        ]}
      />
      <Button size="small" mt="8px" onClick={onChange}>
        Change the form
      </Button>
    </Section>
  );
}

/** Sheet is the paper: groups by where one stands, steps, and values to type. */
function Sheet({ groups, name }: { groups: Group[]; name: string }) {
  const ref = useRef<HTMLDivElement>(null);
  const { site } = useSite();
  const [pick] = usePick();
  useEffect(() => {
    if (pick) ref.current?.querySelector("[data-picked=true]")?.scrollIntoView({ block: "nearest" });
  }, [pick]);
  const values = () => [...(ref.current?.querySelectorAll<HTMLElement>("[data-value]") ?? [])];
  const onKey = (e: React.KeyboardEvent) => {
    const all = values();
    const at = all.indexOf(e.target as HTMLElement);
    if (at < 0) return;
    const to = { ArrowRight: at + 1, ArrowDown: at + 1, ArrowLeft: at - 1, ArrowUp: at - 1 }[e.key];
    if (to !== undefined) {
      e.preventDefault();
      all[to]?.focus();
    } else if (e.key === " ") {
      e.preventDefault();
      (e.target as HTMLElement).closest("[data-step]")?.querySelector<HTMLElement>("[role=checkbox]")?.click();
    }
  };
  const next = (from: HTMLElement) => {
    const all = values();
    all[all.indexOf(from) + 1]?.focus();
  };
  return (
    <chakra.article
      ref={ref}
      onKeyDown={onKey}
      bg="card"
      border="1px solid"
      borderColor="hair"
      borderRadius="8px"
      px="14px"
      pb="14px"
      className="sheet"
      data-sheet
    >
      <chakra.h1 display="none" className="print-only" fontSize="title" fontWeight={700}>
        {name}: what to type where
      </chakra.h1>
      {groups.map((g, i) => (
        <chakra.section key={g.id} className="group">
          <chakra.h2
            display="flex"
            gap="10px"
            alignItems="baseline"
            borderBottom="2px solid"
            borderColor="ink"
            pt="14px"
            pb="5px"
            flexWrap="wrap"
            className="group-head"
          >
            <b>
              {i + 1} {g.title}
            </b>
            <Muted fontSize="small">{[g.where, g.note].filter(Boolean).join(" · ")}</Muted>
          </chakra.h2>
          <ol>
            {g.steps.map((s) => (
              <StepLine key={s.id} step={s} picked={about(s.about, pick, site)} onCopied={next} />
            ))}
          </ol>
        </chakra.section>
      ))}
    </chakra.article>
  );
}

/** changed gives what was typed before and is another value now. */
function changed(step: Step): string {
  const now = step.values.split(", ");
  return (step.was ?? "")
    .split(", ")
    .filter((v) => !now.includes(v))
    .join(", ");
}

function StepLine({ step, picked, onCopied }: { step: Step; picked: boolean; onCopied: (from: HTMLElement) => void }) {
  const edit = useEdit();
  const done = step.state === "done";
  const removal = step.values === "";
  const tick = () =>
    edit.mutate({
      edits: [
        {
          do: "tick",
          id: step.id,
          ...(done || removal ? {} : { done: { step: step.id, at: new Date().toISOString(), values: step.values } }),
        },
      ],
      title: `${done ? "untick" : "tick"} ${step.title}`,
    });
  return (
    <chakra.li
      display="flex"
      gap="14px"
      py="9px"
      px="2px"
      borderBottom="1px solid"
      borderColor="hair"
      bg={picked ? "brassSoft" : undefined}
      data-step={step.id}
      data-state={step.state}
      data-picked={picked}
      className="step"
    >
      <chakra.button
        type="button"
        role="checkbox"
        aria-checked={done}
        aria-label={`Done: ${step.title}${step.detail ? `, ${step.detail}` : ""}`}
        onClick={tick}
        disabled={edit.isPending}
        w="24px"
        h="24px"
        flex="none"
        display="grid"
        placeItems="center"
      >
        <chakra.span
          w="18px"
          h="18px"
          border="2px solid"
          borderColor={done ? "muted" : "ink"}
          borderRadius="3px"
          display="grid"
          placeItems="center"
          fontSize="small"
          lineHeight="1"
        >
          {done ? "✓" : ""}
        </chakra.span>
      </chakra.button>
      <chakra.div flex={1} minW={0}>
        <Row gap="8px" alignItems="baseline" flexWrap="wrap">
          <chakra.b color={done ? "muted" : "ink"} overflowWrap="anywhere">
            {step.title}
          </chakra.b>
          <Muted>{step.detail}</Muted>
          {step.state === "again" && <Tag>do it again: it was {changed(step)}</Tag>}
          <chakra.span flex={1} />
          {step.at && (
            <Muted fontSize="small">
              {step.state === "again" ? `done ${clock(step.at)}, changed since` : clock(step.at)}
            </Muted>
          )}
        </Row>
        {step.fields.length > 0 && (
          <chakra.div display="flex" flexWrap="wrap" gap="6px" mt="5px">
            {step.fields.map((f) => (
              <Value key={f.label} label={f.label} value={f.value} of={step.title} onCopied={onCopied} dim={done} />
            ))}
          </chakra.div>
        )}
      </chakra.div>
    </chakra.li>
  );
}

/** Value is copied by a press or Enter, which then goes on to the next one. */
function Value({
  label,
  value,
  of,
  onCopied,
  dim,
}: {
  label: string;
  value: string;
  of: string;
  onCopied: (from: HTMLElement) => void;
  dim: boolean;
}) {
  const notice = useNotice();
  const [copied, setCopied] = useState(false);
  return (
    <chakra.button
      type="button"
      data-value
      aria-label={`${label} ${value}, copy for ${of}`}
      onClick={async (e) => {
        const from = e.currentTarget;
        if (await copy(value)) {
          setCopied(true);
          onCopied(from);
        } else notice.warn("The browser does not let this page copy. Select the value by hand.");
      }}
      display="inline-flex"
      maxW="100%"
      border="1px solid"
      borderColor={copied ? "chalk" : "hair"}
      borderRadius="tag"
      overflow="hidden"
      fontSize="small"
      className="value"
    >
      <chakra.span bg="key" color="muted" px="7px" py="2px">
        {label}
      </chakra.span>{" "}
      <chakra.span
        bg={copied ? "chalkSoft" : undefined}
        fontFamily="mono"
        px="8px"
        py="2px"
        color={dim ? "muted" : "ink"}
        overflow="hidden"
        textOverflow="ellipsis"
      >
        {value}
      </chakra.span>
    </chakra.button>
  );
}
