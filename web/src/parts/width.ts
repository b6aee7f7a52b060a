import { type RefObject, useEffect, useRef, useState } from "react";

/** useWidth measures how wide an element is, in CSS pixels. */
export function useWidth<T extends HTMLElement>(first: number): [RefObject<T | null>, number] {
  const ref = useRef<T>(null);
  const [width, setWidth] = useState(first);
  useEffect(() => {
    if (!ref.current) return;
    const observer = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    observer.observe(ref.current);
    return () => observer.disconnect();
  }, []);
  return [ref, width];
}
