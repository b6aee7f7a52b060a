import { Button, Field, HStack, Input, type InputProps, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { type FocusEvent, type KeyboardEvent, useRef } from "react";
import { Refused, sayWhy } from "../api/client";
import type { Answer, Site } from "../api/model";
import { type Change, complain, siteQuery, useBusy, useEdit, useSite } from "../api/site";
import { Shelf, useKept } from "./kept";

export type Texts = Record<string, string>;

/** Typing is what was typed over some texts, and what stood there when each was begun. */
type Typing = { typed: Partial<Texts>; base: Partial<Texts>; refused?: Error };

const shelf = new Shelf<Typing>();
const nothing: Typing = { typed: {}, base: {} };

/** A clash is a text that was typed here and changed elsewhere since. */
export type Clash = { field: string; mine: string; theirs: string };

const clashesOf = ({ typed, base }: Typing, now: Texts): Clash[] =>
  Object.entries(typed).flatMap(([field, mine]) => {
    const theirs = now[field] ?? "";
    return mine !== undefined && theirs !== base[field] && theirs !== mine ? [{ field, mine, theirs }] : [];
  });

/**
 * useDraft keeps texts that are being typed apart from those of the site: they outlive a change in
 * another window, a refusal, a server that is away, another pick and another station. `read` finds the
 * texts in the site, undefined where their thing is gone. A field without room for a word below it has
 * it told what was refused.
 */
export function useDraft<T extends Texts>(name: string, read: (site: Site) => T | undefined, tell = false) {
  const answer = useSite();
  const client = useQueryClient();
  const edit = useEdit();
  const busy = useBusy();
  const [typing, keep] = useKept(shelf, name, nothing);
  const sending = useRef(false);
  const current = useRef(typing); // what was typed since the last render counts as well
  current.current = typing;
  const now = read(answer.site);
  const set = (next: Typing) => {
    current.current = next;
    keep(Object.keys(next.typed).length === 0 && !next.refused ? undefined : next);
  };
  const overlay = (site: Site): T | undefined => {
    const there = read(site);
    return there && { ...there, ...current.current.typed };
  };
  const values = overlay(answer.site);

  /** type takes what is typed into a field. */
  const type = (field: keyof T & string, text: string) => {
    const old = current.current;
    const began = field in old.base ? old.base : { ...old.base, [field]: now?.[field] ?? "" };
    const { [field]: _, ...others } = old.typed;
    const same = text === now?.[field] && text === began[field];
    set({ typed: same ? others : { ...others, [field]: text }, base: same ? without(began, field) : began });
  };
  /** putBack forgets what was typed, of one field or of all. */
  const putBack = (field?: string) =>
    set(field ? { typed: without(current.current.typed, field), base: without(current.current.base, field) } : nothing);
  /** mine says that what was typed goes over what was changed elsewhere. */
  const mine = () => {
    const there = read(client.getQueryData(siteQuery(answer.id).queryKey)?.site ?? answer.site);
    set({ ...current.current, base: { ...current.current.base, ...there }, refused: undefined });
  };

  /**
   * send makes the change of what was typed. Where the same texts were changed elsewhere it asks
   * first; a change elsewhere of anything else is no reason to ask.
   */
  const send = async (change: (texts: T, site: Answer) => Change | Promise<Change>): Promise<boolean> => {
    if (sending.current) return false;
    sending.current = true;
    const sent = current.current;
    try {
      for (let tries = 0; ; tries++) {
        const at = client.getQueryData(siteQuery(answer.id).queryKey) ?? answer;
        const texts = overlay(at.site);
        if (!texts) throw new Error("It was removed in another window. Copy what you typed if you still need it.");
        if (clashesOf(current.current, read(at.site) ?? {}).length > 0) return false;
        try {
          const made = await change(texts, at);
          await edit.make({ ...made, version: at.version, inForm: true });
          break;
        } catch (error) {
          if (!(error instanceof Refused) || error.status !== 409 || tries === 3) throw error;
          await client.fetchQuery({ ...siteQuery(answer.id), staleTime: 0 });
        }
      }
      // What was typed while it was on its way stays.
      const left = Object.entries(current.current.typed).filter(([field, text]) => sent.typed[field] !== text);
      const typed = Object.fromEntries(left);
      set({ typed, base: Object.fromEntries(left.map(([field]) => [field, sent.typed[field] ?? sent.base[field]])) });
      return true;
    } catch (error) {
      set({ ...current.current, refused: error instanceof Error ? error : new Error(String(error)) });
      if (tell) complain(error);
      return false;
    } finally {
      sending.current = false;
    }
  };
  const fault = (field: string) => (typing.refused instanceof Refused ? typing.refused.of(field) : undefined);
  return {
    values,
    dirty: Object.keys(typing.typed).length > 0,
    clashes: clashesOf(typing, now ?? {}),
    refused: typing.refused && sayWhy(typing.refused),
    fault,
    type,
    putBack,
    mine,
    send,
    busy,
  };
}

function without<V>(all: Record<string, V>, field: string): Record<string, V> {
  const { [field]: _, ...others } = all;
  return others;
}

export type Draft = Pick<ReturnType<typeof useDraft>, "clashes" | "mine" | "putBack">;

/** Clashes asks what is meant where the same was changed in another window. */
export function Clashes({ draft, words = {} }: { draft: Draft; words?: Texts }) {
  return draft.clashes.map((c) => (
    <Text as="div" key={c.field} role="alert" fontSize="label" color="madder" mt="3px" data-clash={c.field}>
      {words[c.field] ? `${words[c.field]}: ` : ""}changed elsewhere to “{c.theirs || "nothing"}” while you typed.
      <HStack gap="12px">
        <Button variant="plain" fontSize="label" onClick={draft.mine}>
          Keep “{c.mine || "nothing"}”
        </Button>
        <Button variant="plain" fontSize="label" onClick={() => draft.putBack(c.field)}>
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
  change: (text: string) => Change;
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
      <Clashes draft={draft} />
    </Field.Root>
  );
}

type One = Pick<ReturnType<typeof useDraft<{ text: string }>>, "dirty" | "send" | "putBack" | "refused">;

/** keeps are the ways to end the typing of one text. A text that was refused is not sent again by leaving it. */
export function keeps(draft: One, change: (text: string) => Change, onKept?: () => void) {
  const send = () => draft.send(({ text }) => change(text.trim()));
  return {
    onKeyDown: (e: KeyboardEvent<HTMLInputElement>) => {
      if (e.key === "Escape") {
        e.stopPropagation();
        draft.putBack();
        e.currentTarget.blur();
      }
      if (e.key !== "Enter") return;
      e.preventDefault();
      if (draft.dirty) send();
      onKept?.(); // hands are faster than the answer; what is refused stays marked
    },
    onBlur: (_: FocusEvent<HTMLInputElement>) => {
      if (draft.dirty && !draft.refused) send();
    },
  };
}
