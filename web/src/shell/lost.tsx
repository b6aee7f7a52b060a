import { Link as A, Box, List, Text } from "@chakra-ui/react";
import { Link, useLocation, useParams } from "react-router";
import { Empty } from "../parts";
import { Bar } from "./bar";
import { stations } from "./stations";

/** Lost says that an address of the page is none, and where to go on. */
export function Lost() {
  const { pathname } = useLocation();
  const { site } = useParams();
  const roads = site
    ? stations.map((s) => ({ to: `/s/${encodeURIComponent(site)}/${s.path}`, title: s.title }))
    : [{ to: "/", title: "All sites" }];
  return (
    <>
      {!site && <Bar />}
      <Box as="main" id="work" p="40px" maxW="640px" m="auto" tabIndex={-1} outline="none">
        <title>Not found · Vest Pin</title>
        <Empty page title="There is no such page">
          <Text overflowWrap="anywhere">
            Nothing of Vest Pin is at {pathname}. It may have been mistyped. Go on with:
          </Text>
          <List.Root mt="8px">
            {roads.map((r) => (
              <List.Item key={r.to}>
                <A asChild display="inline-block" minH="24px">
                  <Link to={r.to}>{r.title}</Link>
                </A>
              </List.Item>
            ))}
          </List.Root>
        </Empty>
      </Box>
    </>
  );
}
