import { chakra } from "@chakra-ui/react";
import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from "react";
import { Button } from ".";

type Action = { label: string; run: () => void };
type Note = { text: string; wrong: boolean; action?: Action };
type Notices = { say: (text: string, action?: Action) => void; warn: (text: string, action?: Action) => void };

const Context = createContext<Notices>({ say: () => undefined, warn: () => undefined });

/** useNotice says at the foot of the page what was done, or why it was not. */
export const useNotice = () => useContext(Context);

/** Notices shows one note at a time. One that warns stays until it is closed. */
export function Notices({ children }: { children: ReactNode }) {
  const [note, setNote] = useState<Note>();
  useEffect(() => {
    if (!note || note.wrong) return;
    const timer = setTimeout(() => setNote(undefined), 6000);
    return () => clearTimeout(timer);
  }, [note]);
  const say = useCallback((text: string, action?: Action) => setNote({ text, wrong: false, action }), []);
  const warn = useCallback((text: string, action?: Action) => setNote({ text, wrong: true, action }), []);
  const value = useMemo(() => ({ say, warn }), [say, warn]);
  return (
    <Context value={value}>
      {children}
      <chakra.div
        role={note?.wrong ? "alert" : "status"}
        aria-live="polite"
        className="no-print"
        position="fixed"
        bottom="14px"
        left="50%"
        transform="translateX(-50%)"
        zIndex={50}
        maxW="min(680px, 92vw)"
      >
        {note && (
          <chakra.div
            display="flex"
            gap="14px"
            alignItems="center"
            bg={note.wrong ? "madderFill" : "bar"}
            color={note.wrong ? "onFill" : "onBar"}
            px="14px"
            py="8px"
            borderRadius="field"
            boxShadow="0 4px 16px rgb(0 0 0 / 0.3)"
            data-notice
          >
            <span>{note.text}</span>
            {note.action && (
              <Button
                variant="bar"
                fontWeight={700}
                onClick={() => {
                  note.action?.run();
                  setNote(undefined);
                }}
              >
                {note.action.label}
              </Button>
            )}
            <Button variant="bar" aria-label="Close this note" onClick={() => setNote(undefined)}>
              ✕
            </Button>
          </chakra.div>
        )}
      </chakra.div>
    </Context>
  );
}
