import { Box, Flex, Heading, VisuallyHidden } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type FocusEvent, type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";
import type { Group, Step } from "../api/model";
import { useSite } from "../api/site";
import { Muted } from "../parts";
import { usePick } from "../parts/pick";
import { about } from "../parts/words";
import { StepLine, tick } from "./step";

/** Where on the sheet the Tab key stops: a value of a step, or its tick. */
type Stop = { step: string; at: number };

type Item = { group: Group; nth: number } | { step: Step };

/** Sheet is the paper: groups by where one stands, steps, and values to type. Only what is in sight is made, except on paper. */
export function Sheet({ groups, name }: { groups: Group[]; name: string }) {
  const paper = useRef<HTMLDivElement>(null);
  const { site } = useSite();
  const [pick] = usePick();
  const [copied, setCopied] = useState("");
  const printing = usePrinting();
  const items = useMemo(
    () =>
      groups.flatMap((group, nth): Item[] => [{ group, nth: nth + 1 }, ...group.steps.map((step): Item => ({ step }))]),
    [groups],
  );
  const virtual = useVirtualizer({
    count: items.length,
    getScrollElement: () => paper.current?.closest<HTMLElement>(".work") ?? null,
    estimateSize: (i) => (items[i] && "group" in items[i] ? 44 : 66),
    getItemKey: (i) => keyOf(items[i]),
    overscan: 6,
    scrollMargin: 60,
  });
  const own = items.findIndex((i) => "step" in i && pick !== undefined && i.step.about.includes(pick));
  const at = own >= 0 ? own : items.findIndex((i) => "step" in i && about(i.step.about, pick, site));
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new pick is brought into sight
  useEffect(() => {
    if (at >= 0) virtual.scrollToIndex(at, { align: "center" });
  }, [pick]);
  const shown = printing
    ? items.map((item, index) => ({ item, index, top: undefined }))
    : virtual.getVirtualItems().flatMap((v) => {
        const item = items[v.index];
        return item ? [{ item, index: v.index, top: v.start - 60 }] : [];
      });
  // The whole sheet is one stop of the Tab key: where it was left, else the first value in sight.
  const [stop, setStop] = useState<Stop>();
  const steps = shown.flatMap(({ item }) => ("step" in item ? [item.step] : []));
  const first = steps.find((s) => s.fields.length > 0) ?? steps[0];
  const held = steps.some((s) => s.id === stop?.step)
    ? stop
    : first && { step: first.id, at: first.fields.length ? 0 : tick };
  const onKey = (e: KeyboardEvent) => {
    const at = e.target;
    const step = at instanceof HTMLElement ? at.closest<HTMLElement>("[data-step]") : null;
    if (!(at instanceof HTMLElement) || at.dataset.at === undefined || !step) return;
    if (e.key === "Home" || e.key === "End") {
      virtual.scrollToIndex(e.key === "Home" ? 0 : items.length - 1);
      requestAnimationFrame(() =>
        placeIn(partsOf(paper.current, "[data-step]").at(e.key === "Home" ? 0 : -1))?.focus(),
      );
    } else if (e.key === " " && at.dataset.at !== String(tick)) {
      step.querySelector<HTMLElement>("[data-tick]")?.click();
    } else if (!besideIt(e.key, at, step, paper.current)) return;
    e.preventDefault();
  };
  const next = (from: HTMLElement, value: string) => {
    const all = partsOf(paper.current, "[data-value]");
    setCopied(`Copied ${value}`);
    all[all.indexOf(from) + 1]?.focus();
  };
  const came = ({ target }: FocusEvent<HTMLElement>) => {
    const at = target.dataset.at;
    const step = target.closest<HTMLElement>("[data-step]")?.dataset.step;
    if (at !== undefined && step) setStop({ step, at: Number(at) });
  };
  return (
    <Box
      as="article"
      ref={paper}
      onKeyDown={onKey}
      onFocus={came}
      aria-label="What to type: arrows go from value to value, Enter copies, the space bar ticks the step"
      bg="card"
      border="1px solid"
      borderColor="hair"
      borderRadius="card"
      px="14px"
      pb="14px"
      flex="none"
      className="sheet"
      data-sheet={items.length - groups.length}
    >
      <VisuallyHidden role="status">{copied}</VisuallyHidden>
      <Heading as="h1" display="none" className="print-only" size="lg">
        {name}: what to type where
      </Heading>
      <ol style={printing ? undefined : { height: virtual.getTotalSize(), position: "relative" }}>
        {shown.map(({ item, index, top }) => (
          <li
            key={keyOf(item)}
            ref={printing ? undefined : virtual.measureElement}
            data-index={index}
            style={
              top === undefined
                ? undefined
                : { position: "absolute", insetInline: 0, top: 0, transform: `translateY(${top}px)` }
            }
          >
            {"group" in item ? (
              <GroupHead group={item.group} nth={item.nth} />
            ) : (
              <StepLine
                step={item.step}
                stop={held?.step === item.step.id ? held.at : undefined}
                picked={about(item.step.about, pick, site)}
                onCopied={next}
              />
            )}
          </li>
        ))}
      </ol>
    </Box>
  );
}

const partsOf = (paper: HTMLElement | null, what: string) => [...(paper?.querySelectorAll<HTMLElement>(what) ?? [])];

/** placeIn is where one comes to a step: its first value, else its tick. */
const placeIn = (step: HTMLElement | undefined) =>
  step?.querySelector<HTMLElement>("[data-value]") ?? step?.querySelector<HTMLElement>("[data-tick]");

/** besideIt puts the focus on what is beside: the next or last place along, the next or last step up and down. */
function besideIt(key: string, at: HTMLElement, step: HTMLElement, paper: HTMLElement | null): boolean {
  const along = { ArrowRight: 1, ArrowLeft: -1 }[key];
  const down = { ArrowDown: 1, ArrowUp: -1 }[key];
  const all = partsOf(paper, along ? "[data-at]" : "[data-step]");
  if (along) all[all.indexOf(at) + along]?.focus();
  else if (down) placeIn(all[all.indexOf(step) + down])?.focus();
  return along !== undefined || down !== undefined;
}

const keyOf = (item: Item | undefined) => (!item ? "" : "group" in item ? `group ${item.group.id}` : item.step.id);

function GroupHead({ group, nth }: { group: Group; nth: number }) {
  return (
    <Flex
      gap="10px"
      alignItems="baseline"
      borderBottom="2px solid"
      borderColor="ink"
      pt="14px"
      pb="5px"
      flexWrap="wrap"
      className="group-head"
    >
      <Heading>
        {nth} {group.title}
      </Heading>
      <Muted fontSize="small">{[group.where, group.note].filter(Boolean).join(" · ")}</Muted>
    </Flex>
  );
}

/** usePrinting tells whether the page goes on paper just now. */
function usePrinting(): boolean {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    const before = () => flushSync(() => setPrinting(true));
    const after = () => setPrinting(false);
    window.addEventListener("beforeprint", before);
    window.addEventListener("afterprint", after);
    return () => {
      window.removeEventListener("beforeprint", before);
      window.removeEventListener("afterprint", after);
    };
  }, []);
  return printing;
}
