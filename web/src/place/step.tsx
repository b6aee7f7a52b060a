import { Spacer } from "@chakra-ui/react";
import { Check } from "lucide-react";
import { memo, useState } from "react";
import { useNavigate } from "react-router";
import { useComingBack } from "../api/checks";
import { useEdit } from "../api/edit";
import type { Step } from "../api/model";
import { copy } from "../parts/copy";
import { notice } from "../parts/notice";
import { clock } from "../parts/words";

/** changed gives what was typed before and is another value now. */
function changed(step: Step): string {
  const now = step.values.split(", ");
  return (step.was ?? "")
    .split(", ")
    .filter((v) => !now.includes(v))
    .join(", ");
}

/** The place of the tick of a step, beside those of its values. */
export const tick = -1;

type StepProps = {
  step: Step;
  /** the place in it at which the Tab key stops */
  stop?: number;
  picked: boolean;
  onCopied: (from: HTMLElement, value: string) => void;
};

/** StepLine is one thing to do, with its values to type, and the tick for when it is done. */
export const StepLine = memo(function StepLine({ step, stop, picked, onCopied }: StepProps) {
  const edit = useEdit();
  const done = step.state === "done";
  const removal = step.values === "";
  const go = useNavigate();
  const watch = useComingBack(() =>
    notice.say("Watching who comes back.", { label: "See it", run: () => go("../checks") }),
  );
  const turn = () =>
    edit.mutate(
      {
        of: () => [
          {
            do: "tick",
            id: step.id,
            ...(done || removal ? {} : { done: { step: step.id, at: new Date().toISOString(), values: step.values } }),
          },
        ],
        title: `${done ? "untick" : "tick"} ${step.title}`,
      },
      { onSuccess: () => !done && step.id === "restart:router" && watch() },
    );
  return (
    <div className="step" data-step={step.id} data-state={step.state} data-picked={picked}>
      <button
        type="button"
        role="checkbox"
        aria-checked={done}
        aria-label={`Done: ${step.title}${step.detail ? `, ${step.detail}` : ""}`}
        onClick={turn}
        className="step-tick"
        tabIndex={stop === tick ? 0 : -1}
        data-at={tick}
        data-tick
      >
        <span>{done && <Check size={14} aria-hidden="true" />}</span>
      </button>
      <div className="step-body">
        <div className="step-head">
          <b>{step.title}</b>
          <span className="muted">{step.detail}</span>
          {step.state === "again" && <span className="tag">do it again: it was {changed(step)}</span>}
          <Spacer />
          {step.at && (
            <span className="muted small">
              {step.state === "again" ? `done ${clock(step.at)}, changed since` : clock(step.at)}
            </span>
          )}
        </div>
        {step.fields.length > 0 && (
          <div className="step-values">
            {step.fields.map((f, at) => (
              <Value
                key={`${f.label} ${f.value}`}
                at={at}
                stop={stop === at}
                label={f.label}
                value={f.value}
                of={step.title}
                onCopied={onCopied}
              />
            ))}
          </div>
        )}
      </div>
    </div>
  );
});

type ValueProps = {
  at: number;
  stop: boolean;
  label: string;
  value: string;
  of: string;
  onCopied: StepProps["onCopied"];
};

/** Value is copied by a press or Enter, which then goes on to the next one. Another value was not copied yet. */
function Value({ at, stop, label, value, of, onCopied }: ValueProps) {
  const [copied, setCopied] = useState(false);
  return (
    <button
      type="button"
      className="value"
      data-value
      data-at={at}
      tabIndex={stop ? 0 : -1}
      data-copied={copied || undefined}
      aria-label={`${label} ${value}, ${copied ? "copied" : "copy"} for ${of}`}
      onClick={async (e) => {
        const from = e.currentTarget;
        if (await copy(value)) {
          setCopied(true);
          onCopied(from, value);
        } else notice.warn("The browser does not let this page copy. Select the value by hand.");
      }}
    >
      <span>{label}</span> <span className="mono">{value}</span>
    </button>
  );
}
