import { chakra } from "@chakra-ui/react";
import { useEffect, useMemo, useRef, useState } from "react";
import { useEdit, useSite } from "../api/site";
import { Button, Empty, Filters, Key, Row, ViewHead } from "../parts";
import { usePick } from "../parts/pick";
import { ownerOf, plural } from "../parts/words";
import { Desk } from "../shell/desk";
import { DeviceCard } from "./device-card";
import { type Paste, PreviewPanel } from "./preview";
import { SourceLegend } from "./sources";
import { DeviceTable } from "./table";

type Show = "all" | "unnamed" | "needs" | "loose";

/** SurveyView finds out what is there: evidence in, devices out. */
export function SurveyView() {
  const site = useSite();
  const edit = useEdit();
  const [pick, setPick] = usePick();
  const [show, setShow] = useState<Show>("all");
  const [paste, setPaste] = useState<Paste>();
  const picked = ownerOf(pick, site.site);
  const lists = useMemo(() => {
    const all = site.site.devices;
    const needs = new Set(site.needPin);
    return {
      all,
      unnamed: all.filter((d) => !d.name),
      needs: all.filter((d) => d.interfaces.some((i) => needs.has(i.id))),
      loose: all.filter((d) => d.interfaces.some((i) => !i.pin)),
    };
  }, [site]);
  useEffect(() => {
    const onPaste = (e: ClipboardEvent) => {
      const text = e.clipboardData?.getData("text/plain");
      if (
        !text ||
        (e.target instanceof HTMLElement && ["INPUT", "TEXTAREA"].includes(e.target.tagName)) ||
        document.querySelector("dialog[open]")
      )
        return;
      e.preventDefault();
      setPaste({ source: "pasted text", text });
    };
    window.addEventListener("paste", onPaste);
    return () => window.removeEventListener("paste", onPaste);
  }, []);
  const addByHand = () => {
    const taken = new Set(site.site.devices.flatMap((d) => [d.id, ...d.interfaces.map((i) => i.id)]));
    let n = site.site.devices.length + 1;
    while (taken.has(`d-${n}`)) n++;
    const id = `d-${n}`;
    const network = site.site.networks[0]?.id;
    if (!network) return;
    edit.mutate(
      {
        edits: [{ do: "put-device", device: { id, interfaces: [{ id: `${id}.0`, network }] } }],
        title: "add a device by hand",
      },
      {
        onSuccess: () => {
          setShow("all");
          setPick(`device:${id}`);
        },
      },
    );
  };
  return (
    <Desk inspector={picked && <DeviceCard device={picked} key={picked.id} />}>
      <ViewHead
        title="Survey"
        hint={`${plural(site.site.devices.length, "device")}${lists.unnamed.length ? `, ${lists.unnamed.length} without a name` : ""}`}
      >
        <Button onClick={addByHand} disabled={edit.isPending || site.site.networks.length === 0}>
          Add by hand
        </Button>
      </ViewHead>
      <DropBox onTake={setPaste} />
      {paste ? (
        <PreviewPanel paste={paste} onClose={() => setPaste(undefined)} />
      ) : site.site.devices.length === 0 ? (
        <Empty title="Nothing found yet">
          Copy the device list from the router's page and press <Key>Ctrl</Key> <Key>V</Key> here, drop a lease file, or
          add a device by hand.
        </Empty>
      ) : (
        <>
          <Row justifyContent="space-between" flexWrap="wrap">
            <Filters
              value={show}
              onChange={setShow}
              options={[
                { id: "all", label: "Everything", count: lists.all.length },
                { id: "unnamed", label: "No name", count: lists.unnamed.length },
                { id: "needs", label: "Needs a pin", count: lists.needs.length },
                { id: "loose", label: "Loose", count: lists.loose.length },
              ]}
            />
            <SourceLegend devices={site.site.devices} />
          </Row>
          {lists[show].length === 0 ? (
            <Empty title="None of these">Everything else is under “Everything”.</Empty>
          ) : (
            <DeviceTable devices={lists[show]} />
          )}
        </>
      )}
    </Desk>
  );
}

/** DropBox takes files, and text by hand for those who cannot paste. */
function DropBox({ onTake }: { onTake: (p: Paste) => void }) {
  const [over, setOver] = useState(false);
  const [text, setText] = useState<string>();
  const take = async (files: FileList | null) => {
    const file = files?.[0];
    if (file) onTake({ source: file.name, text: await readText(file) });
  };
  return (
    <chakra.section
      aria-label="Take in evidence"
      border="2px dashed"
      borderColor={over ? "chalk" : "tapeEdge"}
      bg="card"
      borderRadius="8px"
      px="14px"
      py="10px"
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        take(e.dataTransfer.files);
      }}
    >
      <chakra.div display="flex" alignItems="center" gap="14px" flexWrap="wrap">
        <chakra.div flex="1 1 220px">
          <chakra.p fontWeight={700}>Paste anything here, or drop a file</chakra.p>
          <chakra.p fontSize="small" color="muted">
            a router page's table, leases, ip neigh, arp -a, ip addr, ipconfig
          </chakra.p>
        </chakra.div>
        <Button
          size="small"
          onClick={() => setText(text === undefined ? "" : undefined)}
          aria-expanded={text !== undefined}
        >
          Type or paste text
        </Button>
        <FileButton onFiles={take} />
      </chakra.div>
      {text !== undefined && (
        <chakra.form
          mt="8px"
          onSubmit={(e) => {
            e.preventDefault();
            if (text.trim()) {
              onTake({ source: "pasted text", text });
              setText(undefined);
            }
          }}
        >
          <chakra.textarea
            aria-label="Text to read"
            value={text}
            autoFocus
            onChange={(e) => setText(e.target.value)}
            rows={5}
            w="100%"
            fontFamily="mono"
            fontSize="small"
            bg="card"
            border="1px solid"
            borderColor="hair"
            borderRadius="field"
            p="8px"
          />
          <Button type="submit" variant="lead" size="small" disabled={!text.trim()}>
            Read this
          </Button>
        </chakra.form>
      )}
    </chakra.section>
  );
}

/** FileButton is a file field that looks like the other buttons. */
function FileButton({ onFiles }: { onFiles: (files: FileList | null) => void }) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        hidden
        aria-label="File to read"
        onChange={(e) => {
          onFiles(e.target.files);
          e.target.value = "";
        }}
      />
      <Button size="small" onClick={() => input.current?.click()}>
        Choose a file
      </Button>
    </>
  );
}

/** readText reads a file as UTF-8, or as the UTF-16 that some systems save. */
async function readText(file: File): Promise<string> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  const wide = bytes[0] === 0xff && bytes[1] === 0xfe;
  return new TextDecoder(wide ? "utf-16le" : "utf-8").decode(bytes);
}
