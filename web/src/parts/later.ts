import { type ComponentType, createElement, lazy, Suspense } from "react";
import { untilBack } from "../api/away";

/** loaded loads a part of the page. Where that fails, the page is loaded anew once the program answers. */
async function loaded<T>(load: () => Promise<T>): Promise<T> {
  try {
    return await load();
  } catch {
    await untilBack();
    window.location.reload(); // a browser does not ask twice for what failed; what was typed is kept
    return new Promise(() => undefined);
  }
}

/** later is a component that is loaded when it is first shown. */
export function later<P extends object>(load: () => Promise<ComponentType<P>>) {
  const Loaded = lazy(async () => ({ default: await loaded(load) }));
  return (props: P) => createElement(Suspense, null, createElement(Loaded, props));
}
