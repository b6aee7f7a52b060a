import { Button, createToaster, Toast, Toaster } from "@chakra-ui/react";
import { X } from "lucide-react";

type Action = { label: string; run: () => void };

const toaster = createToaster({ placement: "bottom", max: 6, gap: 8, offsets: "14px" });

let last: string | undefined; // of what was done, the newest is what its reader acts on

function show(text: string, type: "info" | "error", action?: Action) {
  if (last) toaster.remove(last);
  const id = toaster.create({
    title: text,
    type,
    duration: type === "error" ? Number.POSITIVE_INFINITY : 8000,
    action: action && { label: action.label, onClick: action.run },
  });
  last = type === "info" ? id : undefined;
}

/** notice says at the foot of the page what was done, or why it was not. Each that warns stays until it is closed. */
export const notice = {
  say: (text: string, action?: Action) => show(text, "info", action),
  warn: (text: string, action?: Action) => show(text, "error", action),
};

/** Notices is where the notes appear; one stays while the pointer or the focus is on it. */
export function Notices() {
  return (
    <Toaster toaster={toaster} zIndex="note" className="no-print">
      {(note) => (
        <Toast.Root data-notice={note.type}>
          <Toast.Title>{note.title}</Toast.Title>
          {note.action && (
            <Toast.ActionTrigger asChild>
              <Button variant="ghost" fontWeight={700}>
                {note.action.label}
              </Button>
            </Toast.ActionTrigger>
          )}
          <Toast.CloseTrigger asChild>
            <Button variant="ghost" aria-label="Close this note">
              <X aria-hidden="true" />
            </Button>
          </Toast.CloseTrigger>
        </Toast.Root>
      )}
    </Toaster>
  );
}
