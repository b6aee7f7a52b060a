import { type RefObject, useEffect, useState } from "react";

/** How far beyond the window a picture is drawn, and the steps in which the window moves, in CSS pixels. */
const beyond = 400;
const step = 200;

/** useSight is which stretch of a tall picture is in the window, from its top, with some to spare. */
export function useSight(ref: RefObject<Element | null>): [lo: number, hi: number] {
  const [sight, setSight] = useState<[number, number]>([0, 2000]);
  useEffect(() => {
    let frame = 0;
    const look = () => {
      frame = 0;
      const box = ref.current?.getBoundingClientRect();
      if (!box) return;
      const lo = Math.floor((-box.top - beyond) / step) * step;
      const hi = Math.ceil((window.innerHeight - box.top + beyond) / step) * step;
      setSight((old) => (old[0] === lo && old[1] === hi ? old : [lo, hi]));
    };
    const soon = () => {
      frame ||= requestAnimationFrame(look);
    };
    look();
    window.addEventListener("scroll", soon, true);
    window.addEventListener("resize", soon);
    return () => {
      cancelAnimationFrame(frame);
      window.removeEventListener("scroll", soon, true);
      window.removeEventListener("resize", soon);
    };
  }, [ref]);
  return sight;
}
