import { Button, FileUpload, Textarea } from "@chakra-ui/react";
import { useState } from "react";
import { Labelled } from "../parts";
import { Dialog, DialogFooter } from "../parts/dialog";
import { Shelf, useKept } from "../parts/kept";
import { pasted } from "../survey/evidence-box";
import { PreviewPanel } from "../survey/preview";

const texts = new Shelf<string>("router pages");

/** ReadRouter takes what a router's forwarding page says, to be held against the plan. */
export function ReadRouter({ onClose }: { onClose: () => void }) {
  const [text, setText] = useKept(texts, "router page", "");
  const [files, setFiles] = useState<File[]>();
  const close = () => {
    setText(undefined);
    onClose();
  };
  return (
    <Dialog wide title="Read what the router holds" onClose={onClose}>
      {files ? (
        <PreviewPanel files={files} onClose={close} />
      ) : (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            if (text.trim()) setFiles([pasted(text)]);
          }}
        >
          <Labelled
            label="Its forwarding page, as text"
            hint="Mark the whole page and copy it. Or a saved page, a CSV file, an nftables or iptables listing"
          >
            <Textarea
              rows={8}
              fontFamily="mono"
              value={text}
              onChange={(e) => setText(e.currentTarget.value || undefined)}
            />
          </Labelled>
          <DialogFooter
            onClose={onClose}
            go="Read this"
            disabled={!text.trim()}
            aside={
              <FileUpload.Root width="auto" onFileAccept={(e) => e.files.length > 0 && setFiles(e.files)}>
                <FileUpload.HiddenInput aria-label="File of the router" />
                <FileUpload.Trigger asChild>
                  <Button>Choose a file</Button>
                </FileUpload.Trigger>
              </FileUpload.Root>
            }
          />
        </form>
      )}
    </Dialog>
  );
}
