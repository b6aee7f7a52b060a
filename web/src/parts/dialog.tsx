import { Button, Dialog as D, Portal, Spacer, Stack } from "@chakra-ui/react";
import { X } from "lucide-react";
import { type FormEvent, type ReactNode, useRef, useState } from "react";
import { Refusal, Remark } from ".";

type DialogProps = {
  title: string;
  onClose: () => void;
  children: ReactNode;
  wide?: boolean;
  asks?: boolean;
  held?: boolean;
};

/**
 * Dialog keeps the focus, closes on Escape, and gives the focus back to where it was. A press beside it
 * closes it too, but not while something is held in it.
 */
export function Dialog({ title, onClose, children, wide, asks, held }: DialogProps) {
  const content = useRef<HTMLDivElement>(null);
  return (
    <D.Root
      open
      lazyMount
      size={wide ? "lg" : "md"}
      role={asks ? "alertdialog" : "dialog"}
      closeOnInteractOutside={!asks && !held}
      onOpenChange={(e) => !e.open && onClose()}
      initialFocusEl={() =>
        content.current?.querySelector<HTMLElement>("[data-first], input:not([type=file]), select, textarea") ?? null
      }
    >
      <Portal>
        <D.Backdrop />
        <D.Positioner>
          <D.Content ref={content}>
            <D.Header>
              <D.Title>{title}</D.Title>
              <D.CloseTrigger asChild>
                <Button variant="plain" aria-label="Close" justifyContent="center">
                  <X aria-hidden="true" />
                </Button>
              </D.CloseTrigger>
            </D.Header>
            {children}
          </D.Content>
        </D.Positioner>
      </Portal>
    </D.Root>
  );
}

type FooterProps = {
  go?: string;
  /** what the way out is called; "Cancel" where something would be done */
  leave?: string;
  danger?: boolean;
  disabled?: boolean;
  aside?: ReactNode;
  onClose: () => void;
};

/** DialogFooter is the way out of a form in a dialog, and the way on. */
export function DialogFooter({ go, leave = "Cancel", danger, disabled, aside, onClose }: FooterProps) {
  return (
    <D.Footer>
      {aside}
      <Spacer />
      <Button onClick={onClose}>{leave}</Button>
      {go && (
        <Button type="submit" variant="solid" colorPalette={danger ? "madder" : "chalk"} disabled={disabled}>
          {go}
        </Button>
      )}
    </D.Footer>
  );
}

type FormProps = Omit<DialogProps, "held"> & {
  /** something was typed here before, and neither saved nor thrown away */
  kept?: boolean;
  refused?: string;
  /** what the button says that goes on; none where each choice has its own */
  go?: string;
  busy: boolean;
  danger?: boolean;
  disabled?: boolean;
  /** what is done besides, at the other end */
  aside?: ReactNode;
  onGo: () => void;
};

/**
 * FormDialog is a dialog with a form: what was refused stands above the way out and the way on. Where
 * something was typed, Cancel throws it away at once, Escape and the cross after having said so.
 */
export function FormDialog({ children, kept, refused, go, busy, danger, disabled, aside, onGo, ...dialog }: FormProps) {
  const [typed, setTyped] = useState(kept ?? false);
  const [warned, setWarned] = useState(false);
  const leave = () => {
    if (typed && !warned) setWarned(true);
    else dialog.onClose();
  };
  const send = (e: FormEvent) => {
    e.preventDefault();
    if (!busy && !disabled) onGo();
  };
  return (
    <Dialog {...dialog} onClose={leave} held={typed}>
      <form
        onSubmit={send}
        onInput={() => {
          setTyped(true);
          setWarned(false);
        }}
      >
        <Stack gap="12px">
          {kept && !warned && !refused && (
            <Remark status="info">You typed here before and did not save it. Cancel throws it away.</Remark>
          )}
          {children}
          {warned && <Refusal>What you typed is not saved. Press Escape again, or Cancel, to throw it away.</Refusal>}
          {refused && <Refusal>{refused}</Refusal>}
        </Stack>
        <DialogFooter go={go} danger={danger} disabled={busy || disabled} aside={aside} onClose={dialog.onClose} />
      </form>
    </Dialog>
  );
}
