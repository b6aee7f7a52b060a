import { Box, Text } from "@chakra-ui/react";
import { memo, useDeferredValue } from "react";
import { NavLink, useLocation } from "react-router";
import type { Answer } from "../api/model";
import { useSite } from "../api/site";
import { carried } from "../parts/pick";
import { plural } from "../parts/words";

type Station = { path: string; title: string; short?: string; left: (a: Answer) => string };

/** stations are the views in the order of work, each with what is left to do there. */
export const stations: Station[] = [
  {
    path: "survey",
    title: "Survey",
    left: ({ site, left }) => `${site.devices.length} found${left.unnamed ? `, ${left.unnamed} unnamed` : ""}`,
  },
  { path: "addresses", title: "Addresses", left: ({ left }) => `${left.pinned} of ${left.want} pinned` },
  {
    path: "ports",
    title: "Ports",
    left: ({ left }) =>
      `${left.opened} of ${left.open} open${left.clashes ? `, ${plural(left.clashes, "clash", "clashes")}` : ""}`,
  },
  { path: "place", title: "Put in place", short: "Place", left: ({ left }) => `${left.done} of ${left.steps} steps` },
  {
    path: "checks",
    title: "Checks",
    left: ({ left }) => (left.tried > 0 ? `${left.works} of ${left.open} work` : "not yet run"),
  },
];

/** Stations lead through the work. */
export function Stations() {
  return <Links search={useDeferredValue(useLocation().search)} />;
}

const Links = memo(function Links({ search }: { search: string }) {
  const site = useSite();
  return (
    <Box
      as="nav"
      aria-label="Stations"
      className="no-print"
      order={{ base: 1, md: 0 }}
      position={{ base: "sticky", md: "static" }}
      bottom={0}
      zIndex={{ base: "bottom", md: "auto" }}
      bg={{ base: "card", md: "transparent" }}
      borderStyle="solid"
      borderWidth={{ base: "1px 0 0 0", md: "0 1px 0 0" }}
      borderColor="hair"
      pt={{ base: 0, md: "12px" }}
      display={{ base: "grid", md: "block" }}
      gridTemplateColumns={`repeat(${stations.length}, minmax(0, 1fr))`}
    >
      {stations.map((s, i) => (
        <NavLink
          key={s.path}
          to={`${s.path}${carried(search)}`}
          style={{ textDecoration: "none", color: "inherit" }}
          aria-keyshortcuts={String(i + 1)}
        >
          {({ isActive }) => (
            <Box
              px={{ base: "2px", md: "12px" }}
              py={{ base: "12px", md: "7px" }}
              minH={{ base: "48px", md: "auto" }}
              textAlign={{ base: "center", md: "start" }}
              borderStyle="solid"
              borderWidth={{ base: "4px 0 0 0", md: "0 0 0 4px" }}
              borderColor={isActive ? "brass.mark" : "transparent"}
              bg={isActive ? "card" : "transparent"}
              fontWeight={isActive ? 700 : 400}
              whiteSpace="nowrap"
              _hover={{ bg: "card" }}
            >
              <Text fontSize={{ base: "small", md: "text" }} overflow="hidden" textOverflow="ellipsis">
                <Box as="span" display={{ base: "none", md: "inline" }}>
                  {s.title}
                </Box>
                <Box as="span" display={{ base: "inline", md: "none" }}>
                  {s.short ?? s.title}
                </Box>
              </Text>
              <Text fontSize="label" color="muted" whiteSpace="normal" display={{ base: "none", md: "block" }}>
                {s.left(site)}
              </Text>
            </Box>
          )}
        </NavLink>
      ))}
    </Box>
  );
});
