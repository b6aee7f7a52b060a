import { Refusal } from ".";
import { Clashes, keeps, ofText, type TextProps } from "./draft";
import { useDraft } from "./drafts";
import { WordField } from "./word-field";

type WordProps = Omit<TextProps, "hint"> & { words: string[] };

/** DraftWord is such a text with the words that were used before offered below it. */
export function DraftWord({ name, label, read, change, words }: WordProps) {
  const draft = useDraft(name, (site) => {
    const text = read(site);
    return text === undefined ? undefined : { text };
  });
  return (
    <div>
      <WordField
        label={label}
        value={draft.values?.text ?? ""}
        words={words}
        invalid={Boolean(draft.refused)}
        onType={(text) => draft.type("text", text)}
        onTake={() => draft.commit(ofText(change))}
        input={keeps(draft, change)}
      />
      {draft.refused && <Refusal>{draft.refused}</Refusal>}
      <Clashes draft={draft} onMine={() => draft.commit(ofText(change))} />
    </div>
  );
}
