import { Box, Button, HStack, Text } from "@chakra-ui/react";
import { useMemo, useState } from "react";
import { useKnownKinds } from "../api/catalogue";
import { api, must } from "../api/client";
import { complain, useEdit } from "../api/edit";
import type { Device, Edit } from "../api/model";
import { useSite } from "../api/site";
import { Select } from "../parts";
import { chosen } from "../parts/choices";
import { usePick } from "../parts/pick";
import { WordField } from "../parts/word-field";
import { label, plural } from "../parts/words";
import { kindsOf, placesOf } from "./words";

const wishes = [
  ["", "wants a pin: –"],
  ["pin", "wants a pin"],
  ["loose", "stays loose"],
  ["auto", "pin if opened"],
] as const;

const blank = { kind: "", place: "", wants: "" };

/** BulkBar changes all chosen devices at once, in one change that can be taken back. */
export function BulkBar({ devices, onClear }: { devices: Device[]; onClear: () => void }) {
  const { site } = useSite();
  const edit = useEdit();
  const [t, setT] = useState(blank);
  const known = useKnownKinds();
  const kinds = useMemo(() => kindsOf(site, known), [site, known]);
  const places = useMemo(() => placesOf(site), [site]);
  const kind = t.kind.trim() || undefined;
  const place = t.place.trim() || undefined;
  const wants = chosen(wishes, t.wants);
  const nothing = !kind && !place && !wants;
  const set = () => {
    const of = () =>
      devices.flatMap((d): Edit[] => [
        ...(kind || place ? [{ do: "describe" as const, id: d.id, kind, place }] : []),
        ...(wants ? d.interfaces.map((i): Edit => ({ do: "wants", id: i.id, wants })) : []),
      ]);
    edit.mutate(
      {
        of,
        title: `describe ${plural(devices.length, "device")}`,
        says: `${plural(devices.length, "device")} changed.`,
      },
      { onSuccess: () => setT(blank) },
    );
  };
  return (
    <Box asChild bg="chalk.soft" borderRadius="field" px="10px" py="6px" flex="none">
      <form
        aria-label="Change the chosen devices"
        className="no-print"
        onSubmit={(e) => {
          e.preventDefault();
          if (!nothing) set();
        }}
      >
        <HStack gap="8px" flexWrap="wrap">
          <Text fontWeight={700} role="status">
            {devices.length} chosen
          </Text>
          <WordField
            label="Kind of all chosen"
            hideLabel
            placeholder="kind"
            width="120px"
            words={kinds}
            value={t.kind}
            onType={(text) => setT({ ...t, kind: text })}
          />
          <WordField
            label="Place of all chosen"
            hideLabel
            placeholder="place"
            width="120px"
            words={places}
            value={t.place}
            onType={(text) => setT({ ...t, place: text })}
          />
          <Select
            aria-label="All chosen want"
            width="136px"
            options={wishes}
            value={t.wants}
            onChange={(e) => setT({ ...t, wants: e.currentTarget.value })}
          />
          <Button type="submit" variant="solid" size="xs" disabled={nothing}>
            {`Set for ${plural(devices.length, "device")}`}
          </Button>
          <TheyAreOne devices={devices} onJoined={onClear} />
          <Button variant="plain" onClick={onClear}>
            Choose none
          </Button>
        </HStack>
      </form>
    </Box>
  );
}

/** TheyAreOne puts two devices together. */
function TheyAreOne({ devices, onJoined }: { devices: Device[]; onJoined: () => void }) {
  const { id, version } = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  const [first, second] = devices;
  if (!first || !second || devices.length !== 2) return null;
  const join = async () => {
    try {
      const query = { into: first.id, from: second.id };
      const edits = must(await api.GET("/api/sites/{id}/join", { params: { path: { id }, query } }));
      edit.mutate(
        {
          edits,
          version,
          title: `put ${label(first)} and ${label(second)} together`,
          says: `${label(second)} is now part of ${label(first)}.`,
        },
        {
          onSuccess: () => {
            onJoined();
            setPick(`device:${first.id}`);
          },
        },
      );
    } catch (error) {
      complain(error);
    }
  };
  return (
    <Button size="xs" onClick={join}>
      They are one device
    </Button>
  );
}
