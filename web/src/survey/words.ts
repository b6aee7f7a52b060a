import type { Kind, Site } from "../api/model";

const sorted = (words: (string | undefined)[]) =>
  [...new Set(words.filter((w): w is string => Boolean(w)))].sort((a, b) => a.localeCompare(b));

/** kindsOf are the kinds of device that the site has names for, and those of the catalogue by their names. */
export const kindsOf = (site: Site, known: Kind[]) =>
  sorted([
    ...site.devices.map((d) => d.kind),
    ...site.networks.flatMap((n) => n.bands.flatMap((b) => b.kinds)),
    ...known.map((k) => k.name),
  ]);

/** placesOf are the places of the site. */
export const placesOf = (site: Site) => sorted(site.devices.map((d) => d.place));
