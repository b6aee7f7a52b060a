import { chakra } from "@chakra-ui/react";
import { NavLink, useLocation } from "react-router";
import type { Answer } from "../api/model";
import { useSite } from "../api/site";
import { placed, services } from "../parts/words";

type Station = { path: string; title: string; left: (a: Answer) => string };

/** stations are the views in the order of work, each with what is left to do there. */
export const stations: Station[] = [
  {
    path: "survey",
    title: "Survey",
    left: ({ site }) => {
      const unnamed = site.devices.filter((d) => !d.name).length;
      return `${site.devices.length} found${unnamed ? `, ${unnamed} unnamed` : ""}`;
    },
  },
  {
    path: "addresses",
    title: "Addresses",
    left: (a) => {
      const pinned = placed(a.site).filter((p) => p.iface.pin).length;
      return `${pinned} of ${pinned + a.needPin.length} pinned`;
    },
  },
  {
    path: "ports",
    title: "Ports",
    left: (a) => {
      const open = services(a.site).filter((w) => w.service.open).length;
      const clashes = a.snags.filter((s) => s.code === "outside-clash").length;
      return `${open - a.unmet.length} of ${open} open${clashes ? `, ${clashes} clash${clashes > 1 ? "es" : ""}` : ""}`;
    },
  },
  { path: "place", title: "Put in place", left: (a) => `${a.done} of ${a.allSteps} steps` },
];

/** Stations lead through the work. */
export function Stations() {
  const site = useSite();
  const { search } = useLocation();
  return (
    <chakra.nav
      aria-label="Stations"
      className="no-print"
      borderRight="1px solid"
      borderColor="hair"
      pt={{ base: 0, md: "12px" }}
      display={{ base: "flex", md: "block" }}
      overflowX="auto"
    >
      {stations.map((s) => (
        <NavLink key={s.path} to={`${s.path}${search}`} style={{ textDecoration: "none", color: "inherit" }}>
          {({ isActive }) => (
            <chakra.span
              display="block"
              px="12px"
              py="7px"
              borderLeft="4px solid"
              borderColor={isActive ? "brassMark" : "transparent"}
              bg={isActive ? "card" : "transparent"}
              fontWeight={isActive ? 700 : 400}
              _hover={{ bg: "card" }}
            >
              <chakra.span display="block">{s.title}</chakra.span>
              <chakra.span display="block" fontSize="label" color="muted">
                {s.left(site)}
              </chakra.span>
            </chakra.span>
          )}
        </NavLink>
      ))}
    </chakra.nav>
  );
}
