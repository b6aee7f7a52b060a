import { chakra } from "@chakra-ui/react";
import { type ReactNode, useEffect, useRef } from "react";
import { Button } from ".";

/** Dialog is the browser's own modal dialog: it keeps the focus and closes on Escape. */
export function Dialog({
  title,
  onClose,
  children,
  wide,
}: {
  title: string;
  onClose: () => void;
  children: ReactNode;
  wide?: boolean;
}) {
  const ref = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const dialog = ref.current;
    if (dialog && !dialog.open) {
      dialog.showModal();
      dialog.querySelector<HTMLElement>("input, select, textarea")?.focus();
    }
    return () => dialog?.close();
  }, []);
  return (
    <chakra.dialog
      ref={ref}
      aria-label={title}
      onClose={onClose}
      onCancel={onClose}
      m="auto"
      p="18px"
      w={wide ? "min(760px, 94vw)" : "min(480px, 94vw)"}
      maxH="90vh"
      bg="card"
      color="ink"
      border="1px solid"
      borderColor="hair"
      borderRadius="8px"
      css={{ "&::backdrop": { background: "rgb(10 16 22 / 0.55)" } }}
    >
      <chakra.div display="flex" alignItems="center" mb="12px">
        <chakra.h2 fontSize="title" fontWeight={700} flex={1}>
          {title}
        </chakra.h2>
        <Button variant="mend" aria-label="Close" onClick={onClose} px="6px">
          ✕
        </Button>
      </chakra.div>
      {children}
    </chakra.dialog>
  );
}
