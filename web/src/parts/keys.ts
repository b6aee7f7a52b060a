import { useEffect, useRef } from "react";

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName));

/** Keys maps what was pressed, such as "s", "Ctrl+z" or "ArrowUp", to what it does; false lets the browser have it. */
export type Keys = Record<string, (event: KeyboardEvent) => unknown>;

/** useKeys listens while its component is shown, except while somebody types or a dialog is open. */
export function useKeys(keys: Keys) {
  const current = useRef(keys);
  current.current = keys;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.defaultPrevented || typing(event.target) || document.querySelector("dialog[open]")) return;
      if (event.altKey) return;
      const mod = event.ctrlKey || event.metaKey;
      const name = `${mod ? "Ctrl+" : ""}${event.shiftKey && mod ? "Shift+" : ""}${event.key.length === 1 ? event.key.toLowerCase() : event.key}`;
      const run = current.current[name];
      // Enter and the space bar belong to the button that has the focus.
      if (!run || (event.key === "Enter" && event.target instanceof HTMLButtonElement)) return;
      if (run(event) !== false) event.preventDefault();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}
