import { Box, Button, Flex, Heading, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { useCheck } from "../api/checks";
import type { Checks, Verdict } from "../api/model";
import { Mono } from "../parts";

/** Sides are from where it was tried, and the address at which the site is seen. */
export function Sides({ checks, verdicts }: { checks: Checks; verdicts: Verdict[] }) {
  const { start } = useCheck();
  const r = checks.report;
  const insideAsked = verdicts.filter((v) => v.inside.result !== "untried");
  const outsideAsked = verdicts.filter((v) => v.open && v.outside.result !== "untried");
  const answered = (list: Verdict[], side: "inside" | "outside") =>
    `${list.filter((v) => v[side].result === "answers").length} of ${list.length} answer`;
  const wrong = r && (r.router.private || r.router.says || (r.name.name && !r.name.agrees && r.name.points.length > 0));
  return (
    <Flex gap="10px" flexWrap="wrap" data-sides>
      <Card title="From inside">
        {checks.here.says} {insideAsked.length > 0 && answered(insideAsked, "inside")}
        {checks.here.strange && (
          <Try disabled={checks.state.running} onClick={() => start.mutate({ from: "inside" })}>
            The router was replaced: check from inside
          </Try>
        )}
      </Card>
      <Card title="From outside">
        {!checks.here.inside && checks.here.address ? (
          "By this computer, which is elsewhere. "
        ) : checks.far.paired ? (
          <>
            By the far end at <Mono>{checks.far.at}</Mono>.{" "}
          </>
        ) : (
          "No far end yet: pair one, or join the phone's hotspot with this computer. "
        )}
        {outsideAsked.length > 0 && answered(outsideAsked, "outside")}
        {checks.here.inside && (
          <Try disabled={checks.state.running} onClick={() => start.mutate({ what: "hotspot" })}>
            Try by the phone's hotspot
          </Try>
        )}
      </Card>
      <Card title="Outside address" bad={Boolean(wrong)}>
        {r?.router.outside?.address ? (
          <>
            <Mono>{r.router.outside.address}</Mono>.{" "}
            {r.router.says ||
              (r.name.name
                ? r.name.agrees
                  ? `${r.name.name} agrees.`
                  : r.name.says || `${r.name.name} stands for ${r.name.points.join(", ") || "nothing"}.`
                : "As planned.")}
          </>
        ) : (
          "Not known yet."
        )}
      </Card>
    </Flex>
  );
}

function Try({ children, ...rest }: { children: string; disabled: boolean; onClick: () => void }) {
  return (
    <Button variant="plain" fontSize="small" display="block" textAlign="start" whiteSpace="normal" {...rest}>
      {children}
    </Button>
  );
}

function Card({ title, bad, children }: { title: string; bad?: boolean; children: ReactNode }) {
  return (
    <Box
      flex="1 1 200px"
      bg="card"
      border="1px solid"
      borderColor={bad ? "madder.mark" : "hair"}
      borderRadius="card"
      px="12px"
      py="8px"
      data-side={title}
    >
      <Heading size="sm">{title}</Heading>
      <Text fontSize="small" color={bad ? "madder" : "muted"}>
        {children}
      </Text>
    </Box>
  );
}
