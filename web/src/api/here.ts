import { queryOptions } from "@tanstack/react-query";
import { api, must } from "./client";
import type { Attached } from "./model";

/** hereQuery asks what this computer is attached to; a cable may be moved at any time. */
export const hereQuery = queryOptions({
  queryKey: ["here"],
  queryFn: async () => must(await api.GET("/api/here")),
  staleTime: 5_000,
});

const kinds = { wired: "wired", wireless: "wireless", virtual: "virtual", unknown: "attached" };

const end = (address: string) => `.${address.split(".").at(-1)}`;

/** span says how long a lease lasts. */
export function lasting(seconds: number): string {
  if (seconds >= 172_800) return `${Math.round(seconds / 86_400)} days`;
  if (seconds >= 86_400) return "a day";
  if (seconds >= 7_200) return `${Math.round(seconds / 3_600)} hours`;
  return seconds >= 3_600 ? "an hour" : `${Math.round(seconds / 60)} minutes`;
}

/** saysHere words an attachment: "wired, 10.48.30.127/24, router .1, DNS .1, DHCP server .1, lease of a day". */
export function saysHere(a: Attached): string {
  const bits = a.subnet.split("/")[1];
  return [
    kinds[a.kind],
    `${a.own}/${bits}`,
    a.gateway ? `router ${end(a.gateway)}` : "no router known",
    a.dns.length > 0 && `DNS ${a.dns.map(end).join(" and ")}`,
    a.dhcp && `DHCP server ${end(a.dhcp)}`,
    a.lease && `lease of ${lasting(a.lease)}`,
  ]
    .filter(Boolean)
    .join(", ");
}
