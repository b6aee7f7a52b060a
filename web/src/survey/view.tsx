import { Button, Kbd } from "@chakra-ui/react";
import { useCallback, useEffect, useMemo, useState } from "react";
import { useEdit } from "../api/edit";
import { useSite } from "../api/site";
import { type SurveyPlan, useSurvey, useSweep } from "../api/survey";
import { Empty, ViewHead } from "../parts";
import { Shelf, useKept } from "../parts/kept";
import { useKeys } from "../parts/keys";
import { later } from "../parts/later";
import { useOpened, usePick } from "../parts/pick";
import { ownerOf } from "../parts/words";
import { Desk } from "../shell/desk";
import { EvidenceBox, pasted } from "./evidence-box";
import { DeviceList } from "./list";
import { rowsOf } from "./rows";
import { VisitLine } from "./visit-line";

const DeviceCard = later(() => import("./device-card").then((m) => m.DeviceCard));
const MakersForm = later(() => import("./makers-form").then((m) => m.MakersForm));
const PreviewPanel = later(() => import("./preview").then((m) => m.PreviewPanel));
const Sketch = later(() => import("./sketch").then((m) => m.Sketch));

const given = new Shelf<File[]>();
const noFiles: File[] = [];

/** SurveyView finds out what is there: evidence in, devices out. */
export function SurveyView() {
  const answer = useSite();
  const { site } = answer;
  const survey = useSurvey();
  const { start, stop } = useSweep();
  const [pick] = usePick();
  const [files, setFiles] = useKept(given, "evidence", noFiles);
  const [as, setAs] = useState<"list" | "sketch">("list");
  const [opened, setOpened] = useOpened();
  const [plan, setPlan] = useState<SurveyPlan>({});
  const addByHand = useAddByHand();
  const running = survey?.state.running ?? false;
  const rows = useMemo(() => rowsOf(answer, survey), [answer, survey]);
  const picked = ownerOf(pick, site);
  const sweep = () => (running ? stop.mutate() : start.mutate(plan));
  useKeys({ w: sweep });
  const more = useCallback((sent: File[]) => setFiles([...files, ...sent]), [files, setFiles]);
  usePasted(more); // beside what is looked at already, never in its place
  return (
    <Desk inspector={picked && <DeviceCard device={picked} key={picked.id} />}>
      <ViewHead title="Survey" hint={<VisitLine />}>
        <Button onClick={() => setAs(as === "list" ? "sketch" : "list")}>{as === "list" ? "Sketch" : "List"}</Button>
        <Button onClick={() => setOpened("makers")}>Makers</Button>
        <Button onClick={addByHand} disabled={site.networks.length === 0}>
          Add by hand
        </Button>
        {!running && (
          <Button variant="solid" onClick={sweep} disabled={start.isPending || site.networks.length === 0}>
            Sweep the LAN <Kbd>W</Kbd>
          </Button>
        )}
      </ViewHead>
      <EvidenceBox onTake={more} plan={plan} onPlan={setPlan} />
      {files.length > 0 ? (
        <PreviewPanel files={files} onClose={() => setFiles(undefined)} />
      ) : rows.length === 0 ? (
        <Empty title="Nothing found yet">
          Press <Kbd>W</Kbd> to sweep the network, copy the device list from the router's page and press <Kbd>Ctrl</Kbd>{" "}
          <Kbd>V</Kbd> here, drop a lease file, or add a device by hand.
        </Empty>
      ) : as === "sketch" ? (
        <Sketch />
      ) : (
        <DeviceList rows={rows} />
      )}
      {opened === "makers" && <MakersForm onClose={() => setOpened(undefined)} />}
    </Desk>
  );
}

/** usePasted takes what is pasted anywhere on the page, but into a field or a dialog. */
function usePasted(take: (files: File[]) => void) {
  useEffect(() => {
    const onPaste = (e: ClipboardEvent) => {
      const sent = [...(e.clipboardData?.files ?? [])];
      const text = e.clipboardData?.getData("text/plain");
      const into = e.target instanceof HTMLElement && ["INPUT", "TEXTAREA"].includes(e.target.tagName);
      if ((!text && sent.length === 0) || into || document.querySelector("[role=dialog][data-state=open]")) return;
      e.preventDefault();
      take(sent.length > 0 ? sent : [pasted(text ?? "")]);
    };
    window.addEventListener("paste", onPaste);
    return () => window.removeEventListener("paste", onPaste);
  }, [take]);
}

/** useAddByHand enters a device of which nothing is known, and picks it. */
function useAddByHand() {
  const { site } = useSite();
  const edit = useEdit();
  const [, setPick] = usePick();
  return () => {
    const network = site.networks[0]?.id;
    if (!network) return;
    edit.mutate(
      {
        of: () => [
          { do: "put-device", device: { id: "", interfaces: [{ id: "", network, evidence: [] }], services: [] } },
        ],
        title: "add a device by hand",
      },
      { onSuccess: ({ made }) => setPick(made[0]) },
    );
  };
}
