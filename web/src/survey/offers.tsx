import { Box, Button, HStack, Stack, Text } from "@chakra-ui/react";
import { ChevronDown, ChevronRight } from "lucide-react";
import { useState } from "react";
import { useEdit } from "../api/edit";
import type { Offer } from "../api/model";
import { useSite } from "../api/site";
import { Remark } from "../parts";
import { usePick } from "../parts/pick";
import { plural, sentence } from "../parts/words";

/** OfferCard asks one doubtful thing; neither answer is taken by itself. */
export function OfferCard({ offer }: { offer: Offer }) {
  const { version } = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  return (
    <Remark status="warning" data-offer={offer.kind}>
      <Text fontWeight={700}>{offer.says}</Text>
      <Text>{sentence(offer.reasons.join("; "))}.</Text>
      <HStack gap="14px" flexWrap="wrap" mt="2px">
        <Button
          variant="plain"
          onClick={() =>
            edit.mutate(
              { edits: offer.edits, version, title: offer.does, says: `${offer.does}: done.` },
              { onSuccess: () => setPick(`device:${offer.old}`) },
            )
          }
        >
          {offer.does}
        </Button>
        <Button
          variant="plain"
          onClick={() => edit.mutate({ edits: offer.not, version, title: "tell two devices apart" })}
        >
          No, they are two devices
        </Button>
      </HStack>
    </Remark>
  );
}

/** How many questions are shown at once. */
const most = 8;

/** Offers lists what the last visit leaves in doubt, for all devices. */
export function Offers() {
  const { offers } = useSite();
  const [open, setOpen] = useState(false);
  if (offers.length === 0) return null;
  return (
    <Box className="no-print" flex="none">
      <Button variant="plain" colorPalette="brass" fontSize="small" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? <ChevronDown aria-hidden="true" /> : <ChevronRight aria-hidden="true" />}
        {plural(offers.length, "question")} about which device is which
      </Button>
      {open && (
        <Stack gap="6px" mt="5px" maxH="220px" overflowY="auto">
          {offers.slice(0, most).map((o) => (
            <OfferCard key={o.id} offer={o} />
          ))}
          {offers.length > most && (
            <Text fontSize="small">The next {offers.length - most} come when these are answered.</Text>
          )}
        </Stack>
      )}
    </Box>
  );
}
