import type { Device, Site } from "../api/model";
import { keeps } from "../parts/draft";
import { useDraft } from "../parts/drafts";

type Props = { device: Device; guess?: string; onNamed: () => void };

/** NameField names a device in its row: Enter or leaving keeps the name, Escape puts it back. Enter goes on to the next one. */
export function NameField({ device, guess, onNamed }: Props) {
  const read = (site: Site) => {
    const d = site.devices.find((x) => x.id === device.id);
    return d && { text: d.name ?? "" };
  };
  const draft = useDraft(`name/${device.id}`, read, true);
  const [clash] = draft.clashes;
  const wrong = clash ? `Changed elsewhere to “${clash.theirs}” while you typed: see its card` : draft.refused;
  return (
    <input
      type="text"
      className="name-field"
      tabIndex={-1}
      aria-label={`Name of ${device.name || device.kind || "unnamed device"}`}
      aria-invalid={Boolean(wrong)}
      title={wrong}
      value={draft.values?.text ?? ""}
      placeholder={device.kind || guess ? `${device.kind || guess}? name it` : "name it"}
      onChange={(e) => draft.type("text", e.currentTarget.value)}
      {...keeps(draft, (name) => ({ of: () => [{ do: "describe", id: device.id, name }] }), onNamed)}
    />
  );
}
