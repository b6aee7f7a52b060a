import { useEffect, useRef } from "react";

const focusable =
  "a[href], button:not([disabled]), input:not([disabled]), select:not([disabled]), textarea:not([disabled]), [tabindex='0']";

type Spot = { element: HTMLElement; regions: HTMLElement[] };

/** regionsOf are the parts of the page around an element, the nearest first. */
function regionsOf(element: Element): HTMLElement[] {
  const near = element.parentElement?.closest<HTMLElement>("li, section, header, main, aside, nav");
  return near ? [near, ...regionsOf(near)] : [];
}

/**
 * heirOf is what takes the focus of an element that is gone: itself where it is back, else the part of
 * the page that it was in, from where the Tab key goes on. No other button, which a key could press.
 */
function heirOf({ element, regions }: Spot): HTMLElement | null {
  if (element.isConnected && element.matches(focusable)) return element;
  const region = regions.find((r) => r.isConnected) ?? document.querySelector<HTMLElement>("main");
  if (region && !region.hasAttribute("tabindex")) region.tabIndex = -1;
  return region;
}

/**
 * useFocusKept puts the focus near to where it was when what had it goes: a mend that was taken, a
 * button that became another, a row that moved. It looks again at each turn of the page.
 */
export function useFocusKept(turn: string) {
  const last = useRef<Spot>(undefined);
  useEffect(() => {
    const came = ({ target }: FocusEvent) => {
      if (!(target instanceof HTMLElement) || target.closest("[role=dialog], [data-notice]")) return;
      last.current = { element: target, regions: regionsOf(target) };
    };
    // What is still there let go of the focus on purpose.
    const left = ({ target }: FocusEvent) =>
      queueMicrotask(() => {
        if (
          last.current?.element === target &&
          last.current.element.matches(focusable) &&
          last.current.element.isConnected
        )
          last.current = undefined;
      });
    document.addEventListener("focusin", came);
    document.addEventListener("focusout", left);
    return () => {
      document.removeEventListener("focusin", came);
      document.removeEventListener("focusout", left);
    };
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the turn says when to look
  useEffect(() => {
    const frame = requestAnimationFrame(() => {
      const lost = !document.activeElement || document.activeElement === document.body;
      if (last.current && lost) heirOf(last.current)?.focus({ preventScroll: true });
    });
    return () => cancelAnimationFrame(frame);
  }, [turn]);
}
