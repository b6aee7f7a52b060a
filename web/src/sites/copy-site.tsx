import { Input, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, must, Refused, sayWhy } from "../api/client";
import type { Summary } from "../api/model";
import { Labelled } from "../parts";
import { FormDialog } from "../parts/dialog";

/** CopySite makes a new site on the pattern of another. */
export function CopySite({ site, onClose }: { site: Summary; onClose: () => void }) {
  const navigate = useNavigate();
  const [name, setName] = useState(`${site.name} (copy)`);
  const [refused, setRefused] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const make = async () => {
    setBusy(true);
    try {
      const params = { path: { id: site.id } };
      const made = must(await api.POST("/api/sites/{id}/copy", { params, body: { name } }));
      navigate(`/s/${encodeURIComponent(made.id)}/survey`);
    } catch (error) {
      setRefused(error);
      setBusy(false);
    }
  };
  const fault = refused instanceof Refused ? refused.of("name") : undefined;
  return (
    <FormDialog
      title={`Copy ${site.name}`}
      onClose={onClose}
      go="Make the copy"
      busy={busy}
      refused={refused && !fault ? sayWhy(refused) : undefined}
      onGo={make}
    >
      <Text>
        The new site gets its networks, bands and routers with their forms, and no devices, forwards or visits.
      </Text>
      <Labelled label="Name" error={fault}>
        <Input
          value={name}
          onFocus={(e) => e.currentTarget.select()}
          onChange={(e) => setName(e.currentTarget.value)}
        />
      </Labelled>
    </FormDialog>
  );
}
