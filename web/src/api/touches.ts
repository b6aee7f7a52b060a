import type { Edit } from "./model";

const kinds: Record<string, string> = {
  describe: "device",
  "remove-device": "device",
  pin: "interface",
  wants: "interface",
  "remove-interface": "interface",
  open: "service",
  "remove-service": "service",
  tick: "step",
  "remove-forward": "forward",
  "remove-network": "network",
  "remove-router": "router",
  "remove-visit": "visit",
};

/** touches names what an edit writes, in the words of the server. */
export function touches(e: Edit): string {
  if (e.do === "rename-site") return "site:name";
  if (e.do === "makers") return "site:makers";
  const kind = kinds[e.do];
  if (kind) return `${kind}:${e.id}`;
  const put = e.do.slice("put-".length) as
    | "network"
    | "router"
    | "device"
    | "interface"
    | "service"
    | "forward"
    | "visit";
  return `${put}:${e[put]?.id}`;
}
