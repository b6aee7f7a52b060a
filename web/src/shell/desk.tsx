import { Button, Flex, Grid } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { usePick } from "../parts/pick";
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
  const [pick, setPick] = usePick();
  const sheet = pick !== undefined && inspector !== undefined;
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
        borderStyle="solid"
        borderWidth={{ base: "1px 0 0 0", md: "0 0 0 1px" }}
        borderColor="hair"
        px="14px"
        py="14px"
        overflowY="auto"
        position={{ base: sheet ? "fixed" : "static", md: "static" }}
        insetX={0}
        bottom="52px"
        maxH={{ base: sheet ? "62dvh" : "none", md: "none" }}
        boxShadow={{ base: sheet ? "lifted" : "none", md: "none" }}
        borderTopRadius={{ base: sheet ? "card" : 0, md: 0 }}
        zIndex={{ base: sheet ? "sheet" : "auto", md: "auto" }}
        flexDirection="column"
        gap="16px"
        minH={0}
        data-inspector
      >
        {sheet && (
          <Button alignSelf="end" display={{ base: "flex", md: "none" }} onClick={() => setPick(undefined)}>
            Close
          </Button>
        )}
        <Next />
        {snagsFirst && <SnagsHere />}
        {inspector}
        {!snagsFirst && <SnagsHere />}
        <SnagsElsewhere />
      </Flex>
    </Grid>
  );
}
