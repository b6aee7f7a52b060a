import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import { api, must, sayWhy } from "../api/client";
import type { Device, Edit, Wants } from "../api/model";
import { useEdit, useSite } from "../api/site";
import { Button, Input, Row, Select } from "../parts";
import { useNotice } from "../parts/notice";
import { usePick } from "../parts/pick";
import { label, plural } from "../parts/words";

/** BulkBar changes all chosen devices at once, in one change that can be taken back. */
export function BulkBar({ devices, onClear }: { devices: Device[]; onClear: () => void }) {
  const site = useSite();
  const edit = useEdit();
  const notice = useNotice();
  const [, setPick] = usePick();
  const [kind, setKind] = useState("");
  const [place, setPlace] = useState("");
  const [wants, setWants] = useState<Wants>();
  const nothing = !kind.trim() && !place.trim() && !wants;
  const set = () => {
    const edits: Edit[] = devices.flatMap((d): Edit[] => [
      ...(kind.trim() || place.trim()
        ? [{ do: "describe" as const, id: d.id, kind: kind.trim() || undefined, place: place.trim() || undefined }]
        : []),
      ...(wants ? d.interfaces.map((i): Edit => ({ do: "wants", id: i.id, wants })) : []),
    ]);
    edit.mutate(
      {
        edits,
        title: `describe ${plural(devices.length, "device")}`,
        says: `${plural(devices.length, "device")} changed.`,
      },
      {
        onSuccess: () => {
          setKind("");
          setPlace("");
          setWants(undefined);
        },
      },
    );
  };
  const [first, second] = devices;
  const join = async () => {
    if (!first || !second) return;
    try {
      const edits = must(
        await api.GET("/api/sites/{id}/join", {
          params: { path: { id: site.id }, query: { into: first.id, from: second.id } },
        }),
      );
      edit.mutate(
        {
          edits,
          title: `put ${label(first)} and ${label(second)} together`,
          says: `${label(second)} is now part of ${label(first)}.`,
        },
        {
          onSuccess: () => {
            onClear();
            setPick(`device:${first.id}`);
          },
        },
      );
    } catch (error) {
      notice.warn(sayWhy(error));
    }
  };
  return (
    <chakra.form
      aria-label="Change the chosen devices"
      className="no-print"
      display="flex"
      gap="8px"
      alignItems="center"
      flexWrap="wrap"
      bg="chalkSoft"
      borderRadius="field"
      px="10px"
      py="6px"
      onSubmit={(e) => {
        e.preventDefault();
        if (!nothing) set();
      }}
    >
      <b>{devices.length} chosen</b>
      <Input
        aria-label="Kind of all chosen"
        placeholder="kind"
        list="kinds"
        w="110px"
        value={kind}
        onChange={(e) => setKind(e.target.value)}
      />
      <Input
        aria-label="Place of all chosen"
        placeholder="place"
        list="places"
        w="110px"
        value={place}
        onChange={(e) => setPlace(e.target.value)}
      />
      <Select
        aria-label="All chosen want"
        w="128px"
        value={wants ?? ""}
        onChange={(e) => setWants((e.target.value || undefined) as Wants | undefined)}
      >
        <option value="">wants a pin: –</option>
        <option value="pin">wants a pin</option>
        <option value="loose">stays loose</option>
        <option value="auto">pin if opened</option>
      </Select>
      <Row gap="8px">
        <Button type="submit" variant="lead" size="small" disabled={nothing || edit.isPending}>
          {`Set for ${plural(devices.length, "device")}`}
        </Button>
        {devices.length === 2 && (
          <Button size="small" onClick={join} disabled={edit.isPending}>
            They are one device
          </Button>
        )}
        <Button variant="mend" onClick={onClear}>
          Choose none
        </Button>
      </Row>
    </chakra.form>
  );
}
