import { Combobox, createListCollection } from "@chakra-ui/react";
import { type ComponentProps, useMemo } from "react";

type Props = {
  label: string;
  hideLabel?: boolean;
  value: string;
  /** the words that are offered; another may be typed */
  words: string[];
  placeholder?: string;
  width?: string;
  invalid?: boolean;
  onType: (text: string) => void;
  /** a word was taken from the list */
  onTake?: (word: string) => void;
  input?: Omit<ComponentProps<typeof Combobox.Input>, "value" | "onChange">;
};

/** WordField is a text with the words that were used before offered below it. */
export function WordField({
  label,
  hideLabel,
  value,
  words,
  placeholder,
  width,
  invalid,
  onType,
  onTake,
  input,
}: Props) {
  const collection = useMemo(() => {
    const want = value.trim().toLowerCase();
    const near = words.filter((w) => w.toLowerCase().includes(want) && w !== value);
    return createListCollection({ items: near.slice(0, 30) });
  }, [words, value]);
  return (
    <Combobox.Root
      collection={collection}
      inputValue={value}
      value={[]}
      allowCustomValue
      openOnClick
      positioning={{ strategy: "fixed" }}
      invalid={invalid}
      width={width}
      selectionBehavior="preserve"
      onInputValueChange={(e) => e.reason === "input-change" && onType(e.inputValue)}
      onValueChange={(e) => {
        const [word] = e.value;
        if (word === undefined) return;
        onType(word);
        onTake?.(word);
      }}
    >
      {!hideLabel && <Combobox.Label>{label}</Combobox.Label>}
      <Combobox.Control>
        <Combobox.Input {...input} aria-label={hideLabel ? label : undefined} placeholder={placeholder} />
      </Combobox.Control>
      {collection.items.length > 0 && (
        <Combobox.Positioner>
          <Combobox.Content>
            {collection.items.map((w) => (
              <Combobox.Item key={w} item={w}>
                <Combobox.ItemText>{w}</Combobox.ItemText>
              </Combobox.Item>
            ))}
          </Combobox.Content>
        </Combobox.Positioner>
      )}
    </Combobox.Root>
  );
}
