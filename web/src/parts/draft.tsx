import { Button, Field, HStack, Input, type InputProps, Text } from "@chakra-ui/react";
import type { FocusEvent, KeyboardEvent } from "react";
import type { Site } from "../api/model";
import { Labelled, Select } from ".";
import type { Choices } from "./choices";
import { type Commit, type Texts, useDraft } from "./drafts";

export type Draft = Pick<ReturnType<typeof useDraft>, "clashes" | "mine" | "discard">;

type ClashesProps = {
  draft: Draft;
  words?: Texts;
  /** what sends it, where no button of a form does */
  onMine?: () => void;
};

/** Clashes asks what is meant where the same was changed in another window. */
export function Clashes({ draft, words = {}, onMine }: ClashesProps) {
  return draft.clashes.map((c) => (
    <Text as="div" key={c.field} role="alert" fontSize="label" color="madder" mt="3px" data-clash={c.field}>
      {words[c.field] ? `${words[c.field]}: ` : ""}changed elsewhere to “{c.theirs || "nothing"}” while you typed.
      <HStack gap="12px">
        <Button
          variant="plain"
          fontSize="label"
          onClick={() => {
            draft.mine();
            onMine?.();
          }}
        >
          Keep “{c.mine || "nothing"}”
        </Button>
        <Button variant="plain" fontSize="label" onClick={() => draft.discard(c.field)}>
          Take theirs
        </Button>
      </HStack>
    </Text>
  ));
}

export type TextProps = Omit<InputProps, "onChange" | "value"> & {
  name: string;
  label: string;
  read: (site: Site) => string | undefined;
  /** the change that a text makes */
  change: Commit<string>;
  hint?: string;
};

/**
 * DraftField is one text of the site: Enter or leaving the field keeps what was typed, Escape puts
 * back what stood there. What was refused stays, with the reason below it.
 */
export function DraftField({ name, label, read, change, hint, ...input }: TextProps) {
  const draft = useDraft(name, (site) => {
    const text = read(site);
    return text === undefined ? undefined : { text };
  });
  const error = draft.refused;
  return (
    <Field.Root invalid={Boolean(error) || draft.clashes.length > 0}>
      <Field.Label>{label}</Field.Label>
      <Input
        {...input}
        value={draft.values?.text ?? ""}
        onChange={(e) => draft.type("text", e.currentTarget.value)}
        {...keeps(draft, change)}
      />
      {error ? <Field.ErrorText>{error}</Field.ErrorText> : hint && <Field.HelperText>{hint}</Field.HelperText>}
      <Clashes draft={draft} onMine={() => draft.commit(ofText(change))} />
    </Field.Root>
  );
}

type ChoiceProps = {
  name: string;
  label: string;
  options: Choices;
  read: (site: Site) => string | undefined;
  change: Commit<string>;
};

/** DraftSelect is one choice of the site: what was chosen stays shown while it is sent, and where it was refused. */
export function DraftSelect({ name, label, options, read, change }: ChoiceProps) {
  const draft = useDraft(name, (site) => {
    const text = read(site);
    return text === undefined ? undefined : { text };
  });
  const commit = () => draft.commit(ofText(change));
  return (
    <Labelled label={label} error={draft.refused}>
      <Select
        options={options}
        value={draft.values?.text ?? ""}
        onChange={(e) => {
          draft.type("text", e.currentTarget.value);
          commit();
        }}
      />
      <Clashes draft={draft} onMine={commit} />
    </Labelled>
  );
}

type One = Pick<ReturnType<typeof useDraft<{ text: string }>>, "isDirty" | "commit" | "discard" | "state">;

/** ofText makes the commit of one text of that of its draft. */
export const ofText =
  (change: Commit<string>): Commit<{ text: string }> =>
  ({ text }) => {
    const { of, ...said } = change(text.trim());
    return { ...said, of: (now, texts) => of(now, texts.text.trim()) };
  };

/**
 * keeps are the ways to end the typing of one text: Enter and leaving the field commit it, Escape
 * discards it. What was refused, or is asked about, is not sent again by leaving the field as it is.
 */
export function keeps(draft: One, change: Commit<string>, onKept?: () => void) {
  const commit = () => draft.commit(ofText(change));
  return {
    onKeyDown: (e: KeyboardEvent<HTMLInputElement>) => {
      if (e.key === "Escape") {
        e.stopPropagation();
        draft.discard();
        e.currentTarget.blur();
      }
      if (e.key !== "Enter") return;
      e.preventDefault();
      if (draft.isDirty()) commit();
      onKept?.(); // hands are faster than the answer; what is refused stays marked
    },
    onBlur: (_: FocusEvent<HTMLInputElement>) => {
      if (draft.isDirty() && draft.state !== "refused" && draft.state !== "clashing") commit();
    },
  };
}
