import type { Edit, Pulled } from "../api/model";

/** Asked is an outside port that is not free, of a version of the site. */
export type Asked = { name: string; pulled: Pulled; version: number; answer: (done: boolean) => void };

/** said is the change that opens a service, and what is said of it: what was loose is pinned by it. */
export const said = (name: string, outside: string, edits: Edit[], pins: string | undefined) => ({
  edits,
  title: `open ${name} at ${outside}`,
  says: `${name} is open at ${outside}.${pins ? ` ${pins}${pins.endsWith(".") ? "" : "."}` : ""}`,
});
