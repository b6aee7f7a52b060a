import { chakra } from "@chakra-ui/react";
import { useRef, useState } from "react";
import type { SurveyState } from "../api/model";
import { type SurveyPlan, useSurvey, useSweep } from "../api/survey";
import { Button, Row } from "../parts";
import { plural } from "../parts/words";
import { SweepOptions } from "./sweep-options";

/** pasted makes a file of a text, so that all evidence goes one way. */
export const pasted = (text: string) => new File([text], "pasted text", { type: "text/plain" });

type BoxProps = { onTake: (files: File[]) => void; plan: SurveyPlan; onPlan: (p: SurveyPlan) => void };

/** EvidenceBox takes files and text, and shows how far a sweep is. */
export function EvidenceBox({ onTake, plan, onPlan }: BoxProps) {
  const survey = useSurvey();
  const [options, setOptions] = useState(false);
  const [over, setOver] = useState(false);
  const [text, setText] = useState<string>();
  const take = (files: FileList | null) => files && files.length > 0 && onTake([...files]);
  return (
    <chakra.section
      aria-label="Take in evidence"
      border="2px dashed"
      borderColor={over ? "chalk" : "tapeEdge"}
      bg="card"
      borderRadius="8px"
      px="14px"
      py="9px"
      className="no-print"
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
        <chakra.div flex="1 1 200px">
          <chakra.p fontWeight={700}>Drop files or paste anything</chakra.p>
          <chakra.p fontSize="small" color="muted">
            page, leases, arp, ipconfig, capture, table
          </chakra.p>
        </chakra.div>
        {survey?.state.running ? (
          <SweepBar state={survey.state} />
        ) : (
          <>
            <Button
              size="small"
              onClick={() => setText(text === undefined ? "" : undefined)}
              aria-expanded={text !== undefined}
            >
              Type or paste text
            </Button>
            <FileButton onFiles={take} />
            <Button variant="mend" fontSize="small" aria-expanded={options} onClick={() => setOptions(!options)}>
              Sweep options
            </Button>
          </>
        )}
      </chakra.div>
      {options && <SweepOptions plan={plan} onChange={onPlan} />}
      {survey && !survey.state.running && survey.state.says && <SweepEnd state={survey.state} />}
      {text !== undefined && (
        <chakra.form
          mt="8px"
          onSubmit={(e) => {
            e.preventDefault();
            if (text.trim()) {
              onTake([pasted(text)]);
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

/** SweepBar is how far a sweep is, and the way to stop it. */
function SweepBar({ state }: { state: SurveyState }) {
  const { stop } = useSweep();
  const share = state.of > 0 ? Math.min(100, (100 * state.done) / state.of) : 0;
  return (
    <chakra.div flex="2 1 380px" data-sweep="running">
      <Row justifyContent="space-between" fontSize="small" gap="10px" role="status">
        <span>
          Sweeping {state.what} · {state.doing}
        </span>
        <chakra.span whiteSpace="nowrap">
          {state.found} answered · {Math.max(1, Math.ceil(state.left / 1000))} s left{" "}
          <Button variant="mend" onClick={() => stop.mutate()} disabled={stop.isPending}>
            Stop
          </Button>
        </chakra.span>
      </Row>
      <chakra.div
        role="progressbar"
        aria-label={`Sweep of ${state.what}`}
        aria-valuenow={Math.round(share)}
        aria-valuemin={0}
        aria-valuemax={100}
        h="7px"
        mt="4px"
        borderRadius="pill"
        bg="body"
        overflow="hidden"
      >
        <chakra.div h="100%" bg="chalkFill" style={{ width: `${share}%` }} />
      </chakra.div>
    </chakra.div>
  );
}

/** SweepEnd says how the last sweep ended. */
function SweepEnd({ state }: { state: SurveyState }) {
  return (
    <chakra.div fontSize="small" mt="6px" role={state.failed ? "alert" : "status"} data-sweep="ended">
      <chakra.p color={state.failed ? "madder" : "muted"}>
        Sweep of {state.what}: {state.says}
      </chakra.p>
      {state.notes.length > 0 && (
        <chakra.details>
          <chakra.summary cursor="pointer" color="brass">
            {plural(state.notes.length, "thing")} worth knowing
          </chakra.summary>
          {state.notes.map((n) => (
            <chakra.p key={n} color="muted">
              {n}
            </chakra.p>
          ))}
        </chakra.details>
      )}
    </chakra.div>
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
        multiple
        hidden
        aria-label="Files to read"
        onChange={(e) => {
          onFiles(e.target.files);
          e.target.value = "";
        }}
      />
      <Button size="small" onClick={() => input.current?.click()}>
        Choose files
      </Button>
    </>
  );
}
