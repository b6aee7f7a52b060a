import { Box, Flex, Heading, QrCode, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { reachQuery } from "../api/session";
import { Mono } from "../parts";

/** Reach shows how other computers and phones come to this program, where they do. */
export function Reach() {
  const { data } = useQuery(reachQuery);
  const [first, ...others] = data?.addresses ?? [];
  if (!data || !first) return null;
  return (
    <Stack gap="8px" mt="16px" pt="12px" borderTop="1px solid" borderColor="hair">
      <Heading as="h3">From a phone or another computer</Heading>
      <Flex gap="16px" alignItems="start">
        <QrCode.Root value={first} unstyled>
          <Box bg="white" p="8px" w="132px" lineHeight={0} role="img" aria-label={`The address ${first} as a code`}>
            <QrCode.Frame>
              <QrCode.Pattern />
            </QrCode.Frame>
          </Box>
        </QrCode.Root>
        <Box minW={0}>
          {[first, ...others].map((a) => (
            <p key={a}>
              <Mono overflowWrap="anywhere">{a}</Mono>
            </p>
          ))}
          {data.fingerprint && (
            <>
              <Text mt="6px" fontSize="small" color="muted">
                The browser warns once, since the program made its certificate itself. Go on if it shows this
                fingerprint (SHA-256):
              </Text>
              <Mono fontSize="small" overflowWrap="anywhere">
                {data.fingerprint}
              </Mono>
            </>
          )}
        </Box>
      </Flex>
    </Stack>
  );
}
