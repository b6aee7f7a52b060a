import { useEffect, useRef } from "react";

/** What is open over the page takes all keys. */
const over = "[role=dialog][data-state=open], [role=alertdialog][data-state=open], [role=menu][data-state=open]";

const typedInto = "input:not([type=checkbox], [type=radio]), textarea, select, [contenteditable=true]";
/** What Enter and the space bar press by themselves. */
const pressed = "a, button, summary, [role=button], [role=tab], [role=checkbox], [role=menuitem], [role=option]";

/** theirs tells whether a key belongs to what has the focus. */
function theirs(event: KeyboardEvent, key: string): boolean {
  const at = event.target;
  if (!(at instanceof Element)) return false;
  if (at.matches(typedInto)) return true;
  if (at.matches("input[type=radio]")) return key === " " || key.startsWith("Arrow");
  if (at.matches("input[type=checkbox]")) return key === " ";
  return (key === "Enter" || key === " ") && at.matches(pressed);
}

/** Keys maps what was pressed, such as "s", "Ctrl+z" or "ArrowUp", to what it does; false lets the browser have it. */
export type Keys = Record<string, (event: KeyboardEvent) => unknown>;

/** useKeys listens while its component is shown; what has the focus, or is open over the page, comes first. */
export function useKeys(keys: Keys) {
  const current = useRef(keys);
  current.current = keys;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.defaultPrevented || event.altKey || document.querySelector(over)) return;
      const mod = event.ctrlKey || event.metaKey;
      const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
      if (theirs(event, key)) return;
      const run = current.current[`${mod ? "Ctrl+" : ""}${event.shiftKey && mod ? "Shift+" : ""}${key}`];
      if (run && run(event) !== false) event.preventDefault();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}
