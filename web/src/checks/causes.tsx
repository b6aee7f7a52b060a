import { Box, Button, HStack, QrCode, Stack, Text } from "@chakra-ui/react";
import { useNavigate } from "react-router";
import { useCheck, useChecks } from "../api/checks";
import { useEdit } from "../api/edit";
import type { Cause, Checks, Verdict } from "../api/model";
import { useSite } from "../api/site";
import { Mono, Muted, Section } from "../parts";
import { indexOf } from "../parts/words";
import { InUse } from "./in-use";
import { thereOf } from "./marks";

/** inTen says a chance as people do. */
export function inTen(chance: number): string {
  const n = Math.round(chance * 10);
  return n >= 10 ? "almost certain" : n < 1 ? "unlikely" : `${n} in 10`;
}

/** Mend ends a cause: edits, a step of the sheet to do again, or in words alone what is to be done. */
export function MendOf({ cause }: { cause: Cause }) {
  const edit = useEdit();
  const go = useNavigate();
  const { site } = useSite();
  const version = useChecks().data?.version ?? 0; // there is no cause before
  const mend = cause.mend;
  if (!mend) return null;
  if (mend.edits.length > 0)
    return (
      <Button
        size="xs"
        variant="solid"
        className="wraps"
        onClick={() => edit.mutate({ edits: mend.edits, version, title: mend.does, says: `${mend.does}: done.` })}
      >
        {mend.does}
      </Button>
    );
  const forward = mend.step?.startsWith("line:")
    ? site.forwards.find((f) => mend.step === `line:${f.id}:1`)
    : undefined;
  if (mend.step)
    return (
      <Button
        size="xs"
        variant="solid"
        className="wraps"
        onClick={() =>
          go(
            `../place?pick=${encodeURIComponent(forward ? `forward:${forward.id}` : `interface:${mend.step?.split(":")[1]}`)}`,
          )
        }
      >
        {mend.does}
      </Button>
    );
  return (
    <Text fontSize="small">
      <b>Mend:</b> {mend.does}.
    </Text>
  );
}

/** CauseItem is a cause after others: what they said already is not said again. */
function CauseItem({ cause, before }: { cause: Cause; before: Cause[] }) {
  const told = (say: (c: Cause) => string | undefined) => before.some((b) => say(b) === say(cause));
  return (
    <Box as="li" data-cause={cause.cause}>
      <Text>
        <b>
          {before.length + 1} {cause.title}
        </b>{" "}
        <Muted fontSize="small" whiteSpace="nowrap">
          {inTen(cause.chance)}
        </Muted>
      </Text>
      {!told((c) => c.why) && (
        <Text fontSize="small" color="muted">
          {cause.why}
        </Text>
      )}
      {!told((c) => c.mend?.does) && (
        <Box my="4px">
          <MendOf cause={cause} />
        </Box>
      )}
      {cause.next && !told((c) => c.next) && (
        <Text fontSize="small">
          <Muted>Would tell most:</Muted> {cause.next}
        </Text>
      )}
    </Box>
  );
}

/** Picked is one service in full: what was heard, the causes, and the phone. */
export function Picked({ verdict: v, checks, name }: { verdict: Verdict; checks: Checks; name: string }) {
  const { start } = useCheck();
  const a = useSite();
  const page = checks.open[v.service];
  const there = thereOf(checks, indexOf(a).services.get(v.service)?.service.interface ?? "");
  const away = there?.as === "nobody" || there?.as === "moved";
  return (
    <>
      <Section title={name}>
        {v.dial && (
          <Mono fontSize="small" overflowWrap="anywhere">
            {v.dial}
          </Mono>
        )}
        <Text mt="6px" fontWeight="600" color={v.works === "no" ? "madder" : undefined} data-says>
          {v.says}
        </Text>
        <HeardLine of="Inside" heard={v.inside} />
        {v.open && <HeardLine of="Outside" heard={v.outside} />}
        <Button
          size="xs"
          mt="6px"
          disabled={checks.state.running}
          onClick={() => start.mutate({ services: [v.service] })}
        >
          Check this one again
        </Button>
      </Section>
      {v.open && v.works === "no" && checks.far.paired && away && <StandIn verdict={v} />}
      {v.causes.length > 0 && (
        <Section title={v.causes[0]?.cause === "no-way-back-in" ? "No fault" : "Likeliest first"}>
          <Stack as="ol" gap="10px">
            {v.causes.map((c, i) => (
              <CauseItem key={c.cause} cause={c} before={v.causes.slice(0, i)} />
            ))}
          </Stack>
        </Section>
      )}
      {v.works === "no" && v.ruledOut.length > 0 && (
        <Section title="Ruled out">
          <Text fontSize="small" color="muted">
            {v.ruledOut.map((c) => c.replaceAll("-", " ")).join(" · ")}
          </Text>
        </Section>
      )}
      {v.open && v.dial && <Phone verdict={v} page={page} />}
      <InUse service={v.service} />
    </>
  );
}

/** StandIn asks before this computer takes the device's address for a moment, so that the router's half is tried without it. */
function StandIn({ verdict: v }: { verdict: Verdict }) {
  const { standIn } = useCheck();
  return (
    <Section title="Without the device">
      <Text fontSize="small" mb="4px">
        Nobody has its address now. This computer can take it for some seconds and answer in its place, while the far
        end tries the outside port; then it gives the address back.
      </Text>
      <Button size="xs" onClick={() => standIn.mutate(v.service)} disabled={standIn.isPending}>
        {standIn.isPending ? "Standing in…" : "Stand in for it"}
      </Button>
    </Section>
  );
}

function HeardLine({ of, heard }: { of: string; heard: Verdict["inside"] }) {
  const by = { afar: ", tried by the far end", looped: ", tried from inside", person: ", as somebody saw", here: "" };
  return (
    <Text fontSize="small" color="muted" overflowWrap="anywhere">
      <b>{of}:</b> {heard.result}
      {by[heard.by ?? "here"]}
      {heard.says && `. ${heard.says}`}
    </Text>
  );
}

/** Phone lets somebody open the service on a phone that is not on the Wi-Fi, and say what came. */
function Phone({ verdict: v, page }: { verdict: Verdict; page: string | undefined }) {
  const { saw } = useCheck();
  const said = (what: "answers" | "nothing") => saw.mutate({ service: v.service, saw: what });
  return (
    <Section title="By phone, with Wi-Fi off">
      <HStack gap="12px" alignItems="start">
        {page && (
          <QrCode.Root value={page} unstyled>
            <Box bg="white" p="6px" w="96px" lineHeight={0} role="img" aria-label={`The address ${page} as a code`}>
              <QrCode.Frame>
                <QrCode.Pattern />
              </QrCode.Frame>
            </Box>
          </QrCode.Root>
        )}
        <Stack gap="6px" alignItems="start" minW={0}>
          <Text fontSize="small" overflowWrap="anywhere">
            {page ? "Open" : "Dial"} <Mono>{page ?? v.dial}</Mono> and say what came:
          </Text>
          <Button size="xs" onClick={() => said("answers")}>
            The right device
          </Button>
          <Button size="xs" onClick={() => said("nothing")}>
            Nothing
          </Button>
        </Stack>
      </HStack>
    </Section>
  );
}
