import {
  Alert,
  Box,
  chakra,
  DataList,
  EmptyState,
  Field,
  Flex,
  Heading,
  HStack,
  NativeSelect,
  Progress,
  SegmentGroup,
  Tag as TagParts,
  Text,
} from "@chakra-ui/react";
import type { ReactNode } from "react";

/** Mono is how every address, port and MAC address is set. */
export const Mono = chakra("span", { base: { fontFamily: "mono", fontVariantNumeric: "tabular-nums slashed-zero" } });
export const Muted = chakra("span", { base: { color: "muted", fontWeight: 400 } });

export type Tone = "brass" | "madder" | "moss" | "chalk";

/** Tag is a word beside a thing. */
export function Tag({ tone = "brass", children }: { tone?: Tone; children: ReactNode }) {
  return (
    <TagParts.Root colorPalette={tone}>
      <TagParts.Label>{children}</TagParts.Label>
    </TagParts.Root>
  );
}

/** Labelled is a control with its name above, and below it what is wrong or what may be typed. */
export function Labelled({
  label,
  hint,
  error,
  children,
}: {
  label: string;
  hint?: ReactNode;
  error?: ReactNode;
  children: ReactNode;
}) {
  return (
    <Field.Root invalid={Boolean(error)}>
      <Field.Label>{label}</Field.Label>
      {children}
      {error ? <Field.ErrorText>{error}</Field.ErrorText> : hint && <Field.HelperText>{hint}</Field.HelperText>}
    </Field.Root>
  );
}

type SelectProps = NativeSelect.FieldProps & {
  options: readonly (readonly [value: string, text: string])[];
  size?: "xs" | "md";
  look?: "outline" | "subtle";
  width?: string;
  disabled?: boolean;
};

/** Select is a choice of few, with the browser's own list. */
export function Select({ options, children, size = "md", look = "outline", width, disabled, ...field }: SelectProps) {
  return (
    <NativeSelect.Root size={size} variant={look} width={width} flex={width && "none"} disabled={disabled}>
      <NativeSelect.Field {...field}>
        {options.map(([value, text]) => (
          <option key={value} value={value}>
            {text}
          </option>
        ))}
        {children}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}

/** Segments choose one of a few, each with what it would show or do. */
export function Segments<T extends string>({
  label,
  value,
  options,
  onChange,
  pills,
  disabled,
}: {
  label: string;
  value: T | null;
  options: readonly { id: T; label: string; count?: number }[];
  onChange: (value: T) => void;
  pills?: boolean;
  disabled?: boolean;
}) {
  return (
    <SegmentGroup.Root
      size={pills ? "xs" : "md"}
      value={value}
      disabled={disabled}
      aria-label={label}
      onValueChange={(e) => {
        const chosen = options.find((o) => o.id === e.value);
        if (chosen) onChange(chosen.id);
      }}
    >
      {options.map((o) => (
        <SegmentGroup.Item key={o.id} value={o.id} data-segment={o.id}>
          <SegmentGroup.ItemText>
            {o.label}
            {o.count === undefined ? "" : ` ${o.count}`}
          </SegmentGroup.ItemText>
          <SegmentGroup.ItemHiddenInput />
        </SegmentGroup.Item>
      ))}
    </SegmentGroup.Root>
  );
}

/** ViewHead says what a view is and what to do there, beside its buttons. */
export function ViewHead({ title, hint, children }: { title: string; hint?: ReactNode; children?: ReactNode }) {
  return (
    <Flex as="header" alignItems="center" gap="10px" minH="32px" flexWrap="wrap" flexShrink={0}>
      <Heading as="h1" size="lg" whiteSpace="nowrap">
        {title}
      </Heading>
      <Box color="muted" fontSize="small" flex="1 1 160px">
        {hint}
      </Box>
      <HStack gap="8px" flexWrap="wrap" className="no-print">
        {children}
      </HStack>
    </Flex>
  );
}

/** Section of the inspector. */
export function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section>
      <Heading mb="6px">{title}</Heading>
      {children}
    </section>
  );
}

/** Pairs are names with values, to be read out or copied. */
export function Pairs({ rows }: { rows: [ReactNode, ReactNode][] }) {
  return (
    <DataList.Root>
      {rows.map(([name, value], i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the rows of a card keep their order
        <DataList.Item key={i}>
          <DataList.ItemLabel>{name}</DataList.ItemLabel>
          <DataList.ItemValue>{value}</DataList.ItemValue>
        </DataList.Item>
      ))}
    </DataList.Root>
  );
}

/** Empty says what to do where there is nothing yet. */
export function Empty({ title, children, page }: { title: string; children: ReactNode; page?: boolean }) {
  return (
    <EmptyState.Root>
      <EmptyState.Content>
        <EmptyState.Title asChild>{page ? <h1>{title}</h1> : <h2>{title}</h2>}</EmptyState.Title>
        <EmptyState.Description>{children}</EmptyState.Description>
      </EmptyState.Content>
    </EmptyState.Root>
  );
}

/** Gauge is a bar of how much of something is used or done. */
export function Gauge({ value, of, tone, label }: { value: number; of: number; tone: Tone; label: string }) {
  return (
    <Progress.Root value={Math.min(value, of)} max={Math.max(of, 1)} colorPalette={tone}>
      <Progress.Track aria-label={label} aria-valuetext={`${value} of ${of}`}>
        <Progress.Range />
      </Progress.Track>
    </Progress.Root>
  );
}

/** Refusal says why something was not done. */
export function Refusal({ children }: { children: ReactNode }) {
  return (
    <Text color="madder" role="alert" overflowWrap="anywhere">
      {children}
    </Text>
  );
}

/** Remark stands out from the view that it is about. */
export function Remark({ status, children, ...rest }: Alert.RootProps) {
  return (
    <Alert.Root role={status === "error" ? "alert" : "status"} status={status} {...rest}>
      <Alert.Content>{children}</Alert.Content>
    </Alert.Root>
  );
}
