import { type ComponentType, createElement, lazy, Suspense } from "react";

/** later is a component that is loaded when it is first shown. */
export function later<P extends object>(load: () => Promise<ComponentType<P>>) {
  const Loaded = lazy(async () => ({ default: await load() }));
  return (props: P) => createElement(Suspense, null, createElement(Loaded, props));
}
