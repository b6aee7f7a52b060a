import { Flex, Grid } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { Next, SnagsElsewhere, SnagsHere } from "./snags";

/** Desk is a station: the working picture in the middle, what is picked and the snags beside it.
 * Where snags are what a station is about, those of the picked thing come first. */
export function Desk({
  children,
  inspector,
  snagsFirst,
}: {
  children: ReactNode;
  inspector?: ReactNode;
  snagsFirst?: boolean;
}) {
  return (
    <Grid
      templateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) {sizes.inspector}" }}
      minH={0}
      className="desk"
    >
      <Flex
        as="main"
        id="work"
        tabIndex={-1}
        outline="none"
        px="16px"
        py="12px"
        overflowY="auto"
        flexDirection="column"
        gap="10px"
        minH={0}
        className="work"
      >
        {children}
      </Flex>
      <Flex
        as="aside"
        aria-label="What is picked, and snags"
        className="no-print"
        tabIndex={-1}
        outline="none"
        bg="card"
        borderLeft="1px solid"
        borderColor="hair"
        px="14px"
        py="14px"
        overflowY="auto"
        flexDirection="column"
        gap="16px"
        minH={0}
        data-inspector
      >
        <Next />
        {snagsFirst && <SnagsHere />}
        {inspector}
        {!snagsFirst && <SnagsHere />}
        <SnagsElsewhere />
      </Flex>
    </Grid>
  );
}
