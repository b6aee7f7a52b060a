import { Input, SimpleGrid, Text } from "@chakra-ui/react";
import { useState } from "react";
import { api, must, Refused, sayWhy } from "../api/client";
import { useEdit } from "../api/edit";
import { Labelled } from "../parts";
import { FormDialog } from "../parts/dialog";
import { useForm } from "../parts/kept";
import { usePick } from "../parts/pick";

const blank = { name: "Modem", address: "", mask: "255.255.255.0" };

/** ModemForm enters what stands in front of the router and is not in its subnet, with the small network of its page. */
export function ModemForm({ onClose }: { onClose: () => void }) {
  const edit = useEdit();
  const [, setPick] = usePick();
  const { t, set, kept, end } = useForm("modem", blank);
  const [busy, setBusy] = useState(false);
  const leave = () => {
    end();
    onClose();
  };
  const [refused, setRefused] = useState<unknown>();
  const fault = refused instanceof Refused ? refused.of("subnet") : undefined;
  const add = async () => {
    setBusy(true);
    try {
      const subnet = `${t.address.trim()} ${t.mask.trim()}`;
      const network = must(await api.POST("/api/parse/network", { body: { subnet } }));
      const { made } = await edit.make({
        of: () => [
          { do: "put-network", network: { ...network, id: "", name: t.name } },
          {
            do: "put-device",
            device: {
              id: "",
              name: t.name,
              kind: "modem",
              interfaces: [{ id: "", network: "", seen: t.address.trim(), wants: "loose", evidence: [] }],
              services: [],
            },
          },
        ],
        title: `add ${t.name}, which is outside the subnet`,
        says: `${t.name} is added, with a network of its own.`,
        inForm: true,
      });
      setPick(made.find((ref) => ref.startsWith("device:")));
      leave();
    } catch (error) {
      setRefused(error);
      setBusy(false);
    }
  };
  return (
    <FormDialog
      title="Add the modem in front"
      kept={kept}
      onClose={leave}
      go="Add the modem"
      busy={busy}
      disabled={!t.address.trim()}
      refused={refused && !fault ? sayWhy(refused) : undefined}
      onGo={add}
    >
      <Text>
        A modem that passes everything through has a page of its own at an address outside the LAN. It gets a network of
        its own here, so that nobody looks for it in the subnet.
      </Text>
      <Labelled label="Name">
        <Input value={t.name} onChange={(e) => set({ name: e.currentTarget.value })} />
      </Labelled>
      <SimpleGrid columns={2} gap="12px">
        <Labelled label="Address of its page" hint="As in 192.0.2.1" error={fault}>
          <Input
            fontFamily="mono"
            data-first
            value={t.address}
            onChange={(e) => set({ address: e.currentTarget.value })}
          />
        </Labelled>
        <Labelled label="Mask">
          <Input fontFamily="mono" value={t.mask} onChange={(e) => set({ mask: e.currentTarget.value })} />
        </Labelled>
      </SimpleGrid>
    </FormDialog>
  );
}
