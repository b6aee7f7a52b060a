import { useRef, useState } from "react";
import { later } from "../parts/later";

const Restore = later(() => import("./restore").then((m) => m.Restore));

/** useBackups puts a backup in the place of all that is kept, once that was asked. */
export function useBackups() {
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File>();
  const asking = (
    <>
      <input
        ref={input}
        type="file"
        hidden
        aria-label="Backup to restore"
        onChange={(e) => {
          setFile(e.currentTarget.files?.[0]);
          e.currentTarget.value = "";
        }}
      />
      {file && <Restore file={file} onClose={() => setFile(undefined)} />}
    </>
  );
  return { choose: () => input.current?.click(), asking };
}
