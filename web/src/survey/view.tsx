import { useEffect, useMemo, useState } from "react";
import { useEdit, useSite } from "../api/site";
import { type SurveyPlan, useSurvey, useSweep } from "../api/survey";
import { Button, Empty, Filters, Key, Row, Select, ViewHead } from "../parts";
import { useKeys } from "../parts/keys";
import { usePick } from "../parts/pick";
import { ownerOf } from "../parts/words";
import { Desk } from "../shell/desk";
import { BulkBar } from "./bulk";
import { DeviceCard } from "./device-card";
import { EvidenceBox, pasted } from "./evidence-box";
import { MakersForm } from "./makers-form";
import { Offers } from "./offers";
import { PreviewPanel } from "./preview";
import { type Choice, chosen, count, type Order, rowsOf, sorted } from "./rows";
import { Sketch } from "./sketch";
import { SourceLegend } from "./sources";
import { DeviceTable } from "./table";
import { VisitLine } from "./visit-line";

/** SurveyView finds out what is there: evidence in, devices out. */
export function SurveyView() {
  const answer = useSite();
  const { site } = answer;
  const survey = useSurvey();
  const { start, stop } = useSweep();
  const [pick] = usePick();
  const [files, setFiles] = useState<File[]>();
  const [as, setAs] = useState<"list" | "sketch">("list");
  const [makers, setMakers] = useState(false);
  const [plan, setPlan] = useState<SurveyPlan>({});
  const addByHand = useAddByHand();
  const running = survey?.state.running ?? false;
  const rows = useMemo(() => rowsOf(answer, survey), [answer, survey]);
  const picked = ownerOf(pick, site);
  const sweep = () => (running ? stop.mutate() : start.mutate(plan));
  useKeys({ w: sweep });
  useEffect(() => {
    const onPaste = (e: ClipboardEvent) => {
      const sent = [...(e.clipboardData?.files ?? [])];
      const text = e.clipboardData?.getData("text/plain");
      if (
        (!text && sent.length === 0) ||
        (e.target instanceof HTMLElement && ["INPUT", "TEXTAREA"].includes(e.target.tagName)) ||
        document.querySelector("dialog[open]")
      )
        return;
      e.preventDefault();
      setFiles(sent.length > 0 ? sent : [pasted(text ?? "")]);
    };
    window.addEventListener("paste", onPaste);
    return () => window.removeEventListener("paste", onPaste);
  }, []);
  return (
    <Desk inspector={picked && <DeviceCard device={picked} key={picked.id} />}>
      <ViewHead title="Survey" hint={<VisitLine />}>
        <Button onClick={() => setAs(as === "list" ? "sketch" : "list")}>{as === "list" ? "Sketch" : "List"}</Button>
        <Button onClick={() => setMakers(true)}>Makers</Button>
        <Button onClick={addByHand} disabled={site.networks.length === 0}>
          Add by hand
        </Button>
        {!running && (
          <Button variant="lead" onClick={sweep} disabled={start.isPending || site.networks.length === 0}>
            Sweep the LAN
          </Button>
        )}
      </ViewHead>
      <EvidenceBox onTake={setFiles} plan={plan} onPlan={setPlan} />
      <Words />
      {files ? (
        <PreviewPanel files={files} onClose={() => setFiles(undefined)} />
      ) : rows.length === 0 ? (
        <Empty title="Nothing found yet">
          Press <Key>W</Key> to sweep the network, copy the device list from the router's page and press <Key>Ctrl</Key>{" "}
          <Key>V</Key> here, drop a lease file, or add a device by hand.
        </Empty>
      ) : as === "sketch" ? (
        <Sketch />
      ) : (
        <DeviceList rows={rows} />
      )}
      {makers && <MakersForm onClose={() => setMakers(false)} />}
    </Desk>
  );
}

/** useAddByHand enters a device of which nothing is known, and picks it. */
function useAddByHand() {
  const { site } = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  return () => {
    const taken = new Set(site.devices.flatMap((d) => [d.id, ...d.interfaces.map((i) => i.id)]));
    let n = site.devices.length + 1;
    while (taken.has(`d-${n}`)) n++;
    const id = `d-${n}`;
    const network = site.networks[0]?.id;
    if (!network || edit.isPending) return;
    edit.mutate(
      {
        edits: [
          { do: "put-device", device: { id, interfaces: [{ id: `${id}.0`, network, evidence: [] }], services: [] } },
        ],
        title: "add a device by hand",
      },
      { onSuccess: () => setPick(`device:${id}`) },
    );
  };
}

/** Words are the kinds and places that the fields of this view offer. */
function Words() {
  const { site } = useSite();
  const kinds = new Set(
    site.devices.map((d) => d.kind).concat(site.networks.flatMap((n) => n.bands.flatMap((b) => b.kinds))),
  );
  const places = new Set(site.devices.map((d) => d.place));
  const lists = { kinds, places };
  return Object.entries(lists).map(([id, words]) => (
    <datalist key={id} id={id}>
      {[...words]
        .filter(Boolean)
        .sort()
        .map((w) => (
          <option key={w} value={w} />
        ))}
    </datalist>
  ));
}

/** DeviceList is the table with what chooses and orders its rows. */
function DeviceList({ rows }: { rows: ReturnType<typeof rowsOf> }) {
  const [choice, setChoice] = useState<Choice>({ show: "all", kind: "", place: "" });
  const [order, setOrder] = useState<Order>();
  const [marked, setMarked] = useState(new Set<string>());
  const shown = useMemo(() => sorted(chosen(rows, choice), order), [rows, choice, order]);
  const markedDevices = rows.filter((r) => marked.has(r.device.id)).map((r) => r.device);
  const words = (of: (r: (typeof rows)[number]) => string | undefined) =>
    [...new Set(rows.map((r) => of(r) || "none"))].sort();
  const set = (part: Partial<Choice>) => setChoice({ ...choice, ...part });
  const mark = (ids: string[], on: boolean) => {
    const next = new Set(marked);
    for (const id of ids) on ? next.add(id) : next.delete(id);
    setMarked(next);
  };
  return (
    <>
      <Offers />
      <Row flexWrap="wrap">
        <Filters
          value={choice.show}
          onChange={(show) => set({ show })}
          options={[
            { id: "all", label: "Everything", count: rows.length },
            { id: "unnamed", label: "No name", count: count(rows, "unnamed") },
            { id: "new", label: "New", count: count(rows, "new") },
            { id: "moved", label: "Moved or swapped", count: count(rows, "moved") },
            { id: "gone", label: "Gone", count: count(rows, "gone") },
            { id: "needs", label: "Needs a pin", count: count(rows, "needs") },
          ]}
        />
        <Narrow
          label="Kind"
          value={choice.kind}
          words={words((r) => r.device.kind)}
          onChange={(kind) => set({ kind })}
        />
        <Narrow
          label="Place"
          value={choice.place}
          words={words((r) => r.device.place)}
          onChange={(place) => set({ place })}
        />
      </Row>
      {markedDevices.length > 0 && <BulkBar devices={markedDevices} onClear={() => setMarked(new Set())} />}
      {shown.length === 0 ? (
        <Empty title="None of these">
          <Button variant="mend" onClick={() => setChoice({ show: "all", kind: "", place: "" })}>
            Show everything
          </Button>
        </Empty>
      ) : (
        <>
          <DeviceTable rows={shown} order={order} onOrder={setOrder} marked={marked} onMark={mark} />
          <SourceLegend devices={rows.map((r) => r.device)} />
        </>
      )}
    </>
  );
}

/** Narrow shows one kind or place alone. */
function Narrow({
  label,
  value,
  words,
  onChange,
}: {
  label: string;
  value: string;
  words: string[];
  onChange: (v: string) => void;
}) {
  return (
    <Select
      aria-label={`${label} to show`}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      w="auto"
      maxW="130px"
      minH="24px"
      py="1px"
      fontSize="label"
      borderRadius="pill"
    >
      <option value="">any {label.toLowerCase()}</option>
      {words.map((w) => (
        <option key={w} value={w}>
          {w}
        </option>
      ))}
    </Select>
  );
}
