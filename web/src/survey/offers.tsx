import { chakra } from "@chakra-ui/react";
import type { Offer } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Button, Row } from "../parts";
import { usePick } from "../parts/pick";
import { plural, sentence } from "../parts/words";

/** OfferCard asks one doubtful thing; neither answer is taken by itself. */
export function OfferCard({ offer }: { offer: Offer }) {
  const { version } = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  return (
    <chakra.div
      data-offer={offer.kind}
      borderLeft="4px solid"
      borderColor="brassMark"
      bg="brassSoft"
      borderRadius="4px"
      px="10px"
      py="7px"
      fontSize="small"
    >
      <chakra.p fontWeight={700}>{offer.says}</chakra.p>
      <p>{sentence(offer.reasons.join("; "))}.</p>
      <Row gap="14px" flexWrap="wrap" mt="2px">
        <Button
          variant="mend"
          disabled={edit.isPending}
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
          variant="mend"
          disabled={edit.isPending}
          onClick={() => edit.mutate({ edits: offer.not, version, title: "tell two devices apart" })}
        >
          No, they are two devices
        </Button>
      </Row>
    </chakra.div>
  );
}

/** Offers lists what the last visit leaves in doubt, for all devices. */
export function Offers() {
  const { offers } = useSite();
  if (offers.length === 0) return null;
  return (
    <chakra.details className="no-print">
      <chakra.summary cursor="pointer" fontWeight={600} fontSize="small" color="brass">
        {plural(offers.length, "question")} about which device is which
      </chakra.summary>
      <chakra.div display="grid" gap="6px" mt="5px" maxH="220px" overflowY="auto">
        {offers.map((o) => (
          <OfferCard key={o.id} offer={o} />
        ))}
      </chakra.div>
    </chakra.details>
  );
}
