import { Box, Flex, Heading, VisuallyHidden } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";
import type { Group, Step } from "../api/model";
import { useSite } from "../api/site";
import { Muted } from "../parts";
import { usePick } from "../parts/pick";
import { about } from "../parts/words";
import { StepLine } from "./step";

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
  const values = () => [...(paper.current?.querySelectorAll<HTMLElement>("[data-value]") ?? [])];
  const onKey = (e: KeyboardEvent) => {
    const all = values();
    const here = e.target instanceof HTMLElement ? all.indexOf(e.target) : -1;
    const to = { ArrowRight: here + 1, ArrowDown: here + 1, ArrowLeft: here - 1, ArrowUp: here - 1 }[e.key];
    if (here < 0) return;
    if (to !== undefined) all[to]?.focus();
    else if (e.key === " ") all[here]?.closest("[data-step]")?.querySelector<HTMLElement>("[data-tick]")?.click();
    else return;
    e.preventDefault();
  };
  const next = (from: HTMLElement, value: string) => {
    const all = values();
    setCopied(`Copied ${value}`);
    all[all.indexOf(from) + 1]?.focus();
  };
  return (
    <Box
      as="article"
      ref={paper}
      onKeyDown={onKey}
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
              <StepLine step={item.step} picked={about(item.step.about, pick, site)} onCopied={next} />
            )}
          </li>
        ))}
      </ol>
    </Box>
  );
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
