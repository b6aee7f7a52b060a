import { Button, FileUpload, Flex, HStack, Progress, Text, Textarea } from "@chakra-ui/react";
import { ChevronDown, ChevronRight } from "lucide-react";
import { useState } from "react";
import type { SurveyState } from "../api/model";
import { type SurveyPlan, useSurvey, useSweep } from "../api/survey";
import { Shelf, useKept } from "../parts/kept";
import { plural } from "../parts/words";
import { SweepOptions } from "./sweep-options";

/** pasted makes a file of a text, so that all evidence goes one way. */
export const pasted = (text: string) => new File([text], "pasted text", { type: "text/plain" });

type BoxProps = { onTake: (files: File[]) => void; plan: SurveyPlan; onPlan: (p: SurveyPlan) => void };

const texts = new Shelf<string | null>("evidence text");

/** The largest number of files that are taken at once; each is read in turn. */
const mostFiles = 200;

/** EvidenceBox takes files and text, and shows how far a sweep is. */
export function EvidenceBox({ onTake, plan, onPlan }: BoxProps) {
  const survey = useSurvey();
  const [options, setOptions] = useState(false);
  const [text, setText] = useKept<string | null>(texts, "evidence text", null);
  return (
    <FileUpload.Root
      maxFiles={mostFiles}
      className="no-print"
      flex="none"
      acceptedFiles={[]}
      onFileAccept={(e) => e.files.length > 0 && onTake(e.files)}
    >
      <FileUpload.HiddenInput aria-label="Files to read" />
      <FileUpload.Dropzone disableClick asChild>
        <section aria-label="Take in evidence">
          <Flex alignItems="center" gap="4px 14px" flexWrap="wrap">
            <Text flex="1 1 240px">
              <b>Drop files or paste anything</b>{" "}
              <Text as="span" fontSize="small" color="muted">
                page, leases, arp, ipconfig, capture, table
              </Text>
            </Text>
            {survey?.state.running ? (
              <SweepBar state={survey.state} />
            ) : (
              <>
                <Button size="xs" onClick={() => setText(text === null ? "" : null)} aria-expanded={text !== null}>
                  Type or paste text
                </Button>
                <FileUpload.Trigger asChild>
                  <Button size="xs">Choose files</Button>
                </FileUpload.Trigger>
                <Button variant="plain" fontSize="small" aria-expanded={options} onClick={() => setOptions(!options)}>
                  Sweep options
                </Button>
              </>
            )}
          </Flex>
          {options && <SweepOptions plan={plan} onChange={onPlan} />}
          {survey && !survey.state.running && survey.state.says && <SweepEnd state={survey.state} />}
          {text !== null && (
            <form
              onSubmit={(e) => {
                e.preventDefault();
                if (!text.trim()) return;
                onTake([pasted(text)]);
                setText(undefined);
              }}
            >
              <Textarea
                aria-label="Text to read"
                value={text}
                autoFocus
                onChange={(e) => setText(e.currentTarget.value)}
                rows={5}
                mt="8px"
                fontFamily="mono"
              />
              <Button type="submit" variant="solid" size="xs" disabled={!text.trim()}>
                Read this
              </Button>
            </form>
          )}
        </section>
      </FileUpload.Dropzone>
    </FileUpload.Root>
  );
}

/** SweepBar is how far a sweep is, and the way to stop it. */
function SweepBar({ state }: { state: SurveyState }) {
  const { stop } = useSweep();
  return (
    <Progress.Root
      flex="2 1 380px"
      value={Math.min(state.done, state.of)}
      max={Math.max(state.of, 1)}
      colorPalette="chalk"
      data-sweep="running"
    >
      <HStack justifyContent="space-between" fontSize="small" gap="10px" role="status">
        <span>
          Sweeping {state.what} · {state.doing}
        </span>
        <HStack whiteSpace="nowrap">
          {state.found} answered · {Math.max(1, Math.ceil(state.left / 1000))} s left
          <Button variant="plain" onClick={() => stop.mutate()}>
            Stop
          </Button>
        </HStack>
      </HStack>
      <Progress.Track h="7px" mt="4px" aria-label={`Sweep of ${state.what}`}>
        <Progress.Range />
      </Progress.Track>
    </Progress.Root>
  );
}

/** SweepEnd says how the last sweep ended. */
function SweepEnd({ state }: { state: SurveyState }) {
  const [open, setOpen] = useState(false);
  return (
    <Flex gap="0 14px" flexWrap="wrap" alignItems="center" fontSize="small" data-sweep="ended">
      <Text color={state.failed ? "madder" : "muted"} role={state.failed ? "alert" : "status"}>
        Sweep of {state.what}: {state.says}
      </Text>
      {state.notes.length > 0 && (
        <Button
          variant="plain"
          colorPalette="brass"
          fontSize="small"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          {open ? <ChevronDown aria-hidden="true" /> : <ChevronRight aria-hidden="true" />}
          {plural(state.notes.length, "thing")} worth knowing
        </Button>
      )}
      {open &&
        state.notes.map((n) => (
          <Text key={n} color="muted" flex="1 0 100%">
            {n}
          </Text>
        ))}
    </Flex>
  );
}
