import type { By, Drop } from "../api/model";
import type { Placed } from "../parts/words";

/** Place pins an interface at an address; the promise tells whether it was pinned. */
export type Place = (p: Placed, to: string, by: By) => Promise<boolean>;

/** Asked is a pin at an address that is not free, of a version of the site. */
export type Asked = { placed: Placed; to: string; drop: Drop; version: number; answer: (done: boolean) => void };
