import { Box, Button, Text } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { api, must, sayWhy } from "../api/client";
import { useSiteId } from "../api/site";
import { Mono, Refusal } from "../parts";
import { clock } from "../parts/words";

/** AskFree asks the network itself whether anybody answers at an address, and says how it knows. */
export function AskFree({ address, mac }: { address: string; mac?: string }) {
  const id = useSiteId();
  const ask = useMutation({
    mutationFn: async (asked: string) =>
      must(await api.GET("/api/sites/{id}/free", { params: { path: { id }, query: { address: asked } } })),
  });
  const said = ask.data?.address === address ? ask.data : undefined;
  const itself = said?.holder !== undefined && said.holder === mac;
  return (
    <Box fontSize="small">
      <Button variant="plain" onClick={() => ask.mutate(address)} disabled={ask.isPending || !address}>
        {ask.isPending ? "Asking three times…" : `Ask the network who is at ${address}`}
      </Button>
      {said && (
        <Text role="status" color={said.free || itself ? "moss" : "madder"} data-free={said.free || itself}>
          {said.free ? "Nobody" : itself ? "This device" : <Mono>{said.holder}</Mono>}: {said.how}
          {said.at ? `, ${clock(said.at)}` : ""}.
        </Text>
      )}
      {ask.error && <Refusal>{sayWhy(ask.error)}</Refusal>}
    </Box>
  );
}
