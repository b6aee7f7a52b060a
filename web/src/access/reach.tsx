import { chakra, QrCode } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { reachQuery } from "../api/session";
import { Mono, Stack } from "../parts";

/** Reach shows how other computers and phones come to this program, where they do. */
export function Reach() {
  const { data } = useQuery(reachQuery);
  const [first, ...others] = data?.addresses ?? [];
  if (!data || !first) return null;
  return (
    <Stack gap="8px" mt="16px" pt="12px" borderTop="1px solid" borderColor="hair">
      <chakra.h3 fontWeight={700}>From a phone or another computer</chakra.h3>
      <chakra.div display="flex" gap="16px" alignItems="start">
        <QrCode.Root value={first} unstyled>
          <chakra.div
            bg="white"
            p="8px"
            w="132px"
            lineHeight={0}
            role="img"
            aria-label={`The address ${first} as a code`}
          >
            <QrCode.Frame>
              <QrCode.Pattern />
            </QrCode.Frame>
          </chakra.div>
        </QrCode.Root>
        <chakra.div minW={0}>
          {[first, ...others].map((a) => (
            <p key={a}>
              <Mono overflowWrap="anywhere">{a}</Mono>
            </p>
          ))}
          {data.fingerprint && (
            <>
              <chakra.p mt="6px" fontSize="small" color="muted">
                The browser warns once, since the program made its certificate itself. Go on if it shows this
                fingerprint (SHA-256):
              </chakra.p>
              <Mono fontSize="small" overflowWrap="anywhere">
                {data.fingerprint}
              </Mono>
            </>
          )}
        </chakra.div>
      </chakra.div>
    </Stack>
  );
}
