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

// Who listens to keys, the last to come first; those of the whole page after all others.
const layers: { keys: { current: Keys }; page: boolean }[] = [];

/** held are the keys of a text that was begun before its field was there. */
let held: string | undefined;

/** holdKeys keeps what is typed for a field that is on its way, until it takes it. */
export function holdKeys() {
  held = "";
}

/** takeKeys gives what was typed meanwhile. */
export function takeKeys(): string {
  const typed = held ?? "";
  held = undefined;
  return typed;
}

const setting = "vestpin-single-keys";

/** singleKeys tells whether keys of one sign do something wherever the focus is; some press them without meaning to. */
export const singleKeys = () => localStorage.getItem(setting) !== "off";

/** setSingleKeys says so for this browser. */
export const setSingleKeys = (on: boolean) => localStorage.setItem(setting, on ? "on" : "off");

function onKey(event: KeyboardEvent) {
  if (event.defaultPrevented || event.altKey) return;
  const mod = event.ctrlKey || event.metaKey;
  if (held !== undefined && !mod && event.key !== "Escape") {
    if (event.key.length === 1) held += event.key;
    if (event.key === "Backspace") held = held.slice(0, -1);
    event.preventDefault();
    return;
  }
  held = undefined;
  if (document.querySelector(over)) return;
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  if (theirs(event, key)) return;
  if (key.length === 1 && !mod && !singleKeys()) return;
  const name = `${mod ? "Ctrl+" : ""}${event.shiftKey && mod ? "Shift+" : ""}${key}`;
  const order = [...layers.filter((l) => !l.page).reverse(), ...layers.filter((l) => l.page).reverse()];
  for (const { keys } of order) {
    const run = keys.current[name];
    if (!run || run(event) === false) continue;
    event.preventDefault();
    return;
  }
}

/** Keys maps what was pressed, such as "s", "Ctrl+z" or "ArrowUp", to what it does; false lets the browser have it. */
export type Keys = Record<string, (event: KeyboardEvent) => unknown>;

/**
 * useKeys listens while its component is shown; what has the focus, or is open over the page, comes first,
 * then the component that came last, then the page.
 */
export function useKeys(keys: Keys, page = false) {
  const current = useRef(keys);
  current.current = keys;
  useEffect(() => {
    const layer = { keys: current, page };
    if (layers.push(layer) === 1) window.addEventListener("keydown", onKey);
    return () => {
      layers.splice(layers.indexOf(layer), 1);
      if (layers.length === 0) window.removeEventListener("keydown", onKey);
    };
  }, [page]);
}
