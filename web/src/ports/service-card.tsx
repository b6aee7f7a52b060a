import { Box, Button, Heading, HStack, Input, Stack } from "@chakra-ui/react";
import { there, useEdit } from "../api/edit";
import type { Forward, Router } from "../api/model";
import { useSite } from "../api/site";
import { Labelled, Mono, Muted, Remark } from "../parts";
import { Shelf, useKept } from "../parts/kept";
import { label, type Wish } from "../parts/words";
import type { PullTo } from "./pull";
import { ServiceForm } from "./service-form";

/** ServiceCard says what a service is, and at which outside port it is open. */
export function ServiceCard({ wish, router, pullTo }: { wish: Wish; router: Router; pullTo: PullTo }) {
  const a = useSite();
  const edit = useEdit();
  const { device, iface, service } = wish;
  const forward = a.site.forwards.find((f) => f.service === service.id && f.router === router.id);
  return (
    <Stack gap="10px">
      <div>
        <Heading size="md" overflowWrap="anywhere">
          {label(device)}, {service.name || "service"}
        </Heading>
        <Mono fontSize="small" color="muted">
          {forward ? `${forward.outside} → ` : ""}
          {iface.pin?.address ?? "loose"}:{service.ports} {service.protocol}
        </Mono>
      </div>
      <ServiceForm wish={wish} router={router} />
      <OpenAt wish={wish} now={forward?.outside} pullTo={pullTo} />
      {forward && !forward.enabled && <SwitchOn forward={forward} />}
      {forward && (
        <HStack>
          <Muted fontSize="small">
            Forward <Mono>{forward.outside}</Mono> {forward.locked ? "is locked" : "may be moved by a suggestion"}
          </Muted>
          <Button
            variant="plain"
            onClick={() =>
              edit.mutate({
                of: ({ site }) => {
                  const stands = there(site.forwards.find((f) => f.id === forward.id));
                  return [{ do: "put-forward", forward: { ...stands, locked: !forward.locked || undefined } }];
                },
              })
            }
          >
            {forward.locked ? "Unlock" : "Lock"}
          </Button>
        </HStack>
      )}
    </Stack>
  );
}

/** SwitchOn says that a forward is off, and switches it on. */
export function SwitchOn({ forward }: { forward: Forward }) {
  const edit = useEdit();
  return (
    <Remark status="warning">
      This forward is switched off: nobody gets in by it.
      <Button
        variant="plain"
        onClick={() =>
          edit.mutate({
            of: ({ site }) => [
              {
                do: "put-forward",
                forward: { ...there(site.forwards.find((f) => f.id === forward.id)), enabled: true },
              },
            ],
            says: `Outside port ${forward.outside} is switched on in the plan.`,
          })
        }
      >
        Switch it on
      </Button>
    </Remark>
  );
}

const typed = new Shelf<string>("outside ports");

/** OpenAt opens a service at the outside port that is typed. */
function OpenAt({ wish, now, pullTo }: { wish: Wish; now: string | undefined; pullTo: PullTo }) {
  const { service } = wish;
  const [outside, setOutside] = useKept(typed, `outside/${service.id}`, "");
  const at = outside.trim() || now || service.ports;
  const go = async () => {
    if (await pullTo(wish, at)) setOutside(undefined);
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        go();
      }}
    >
      <HStack alignItems="end">
        <Box flex={1}>
          <Labelled label={now ? "Move it to outside port" : "Outside port"}>
            <Input
              value={outside}
              onChange={(e) => setOutside(e.currentTarget.value || undefined)}
              placeholder={now ?? service.ports}
              fontFamily="mono"
              data-outside
            />
          </Labelled>
        </Box>
        <Button type="submit">Open at {at}</Button>
      </HStack>
    </form>
  );
}
