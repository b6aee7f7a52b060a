import { chakra, type HTMLChakraProps } from "@chakra-ui/react";
import { type ReactNode, useId } from "react";
import { buttonRecipe, inputRecipe } from "../theme/recipes";

/** Button of the theme's recipe; of type button unless said otherwise. */
const PlainButton = chakra("button", buttonRecipe);
export type ButtonProps = HTMLChakraProps<"button"> & {
  variant?: "lead" | "plain" | "mend" | "bar" | "danger";
  size?: "usual" | "small" | "none";
};
export function Button({
  variant = "plain",
  size = variant === "mend" || variant === "bar" ? "none" : "usual",
  ...rest
}: ButtonProps) {
  const Styled = PlainButton as unknown as React.ComponentType<ButtonProps>;
  return <Styled type="button" variant={variant} size={size} {...rest} />;
}

export const Input = chakra("input", inputRecipe);
export const Textarea = chakra("textarea", inputRecipe);
export const Select = chakra("select", inputRecipe);

export const Mono = chakra("span", { base: { fontFamily: "mono", fontVariantNumeric: "tabular-nums slashed-zero" } });
export const Muted = chakra("span", { base: { color: "muted", fontWeight: 400 } });
export const Row = chakra("div", { base: { display: "flex", alignItems: "center", gap: "8px" } });
export const Stack = chakra("div", { base: { display: "flex", flexDirection: "column", gap: "8px" } });

/** Key is a key cap. */
export const Key = chakra("kbd", {
  base: {
    fontFamily: "mono",
    fontSize: "label",
    px: "5px",
    borderRadius: "tag",
    bg: "key",
    color: "muted",
    border: "1px solid",
    borderColor: "hair",
  },
});

/** Tag is a word beside a thing. */
export function Tag({
  tone = "brass",
  children,
}: {
  tone?: "brass" | "madder" | "moss" | "chalk";
  children: ReactNode;
}) {
  const tones = {
    brass: ["brassSoft", "brass"],
    madder: ["madderSoft", "madder"],
    moss: ["mossSoft", "moss"],
    chalk: ["chalkSoft", "chalk"],
  };
  const [bg, color] = tones[tone];
  return (
    <chakra.span bg={bg} color={color} fontSize="label" px="8px" py="1px" borderRadius="pill" whiteSpace="nowrap">
      {children}
    </chakra.span>
  );
}

/** Filters choose which rows are shown. */
export function Filters<T extends string>({
  value,
  onChange,
  options,
}: {
  value: T;
  onChange: (v: T) => void;
  options: { id: T; label: string; count: number }[];
}) {
  return (
    <Row role="group" aria-label="Show" flexWrap="wrap" gap="8px">
      {options.map((o) => (
        <chakra.button
          key={o.id}
          type="button"
          aria-pressed={value === o.id}
          onClick={() => onChange(o.id)}
          px="8px"
          minH="24px"
          borderRadius="pill"
          fontSize="label"
          bg={value === o.id ? "ink" : "body"}
          color={value === o.id ? "linen" : "ink"}
        >
          {o.label} {o.count}
        </chakra.button>
      ))}
    </Row>
  );
}

/** Field is a labelled control with what is wrong with it below. */
export function Field({
  label,
  hint,
  error,
  children,
}: {
  label: string;
  hint?: string;
  error?: string;
  children: (props: { id: string; "aria-invalid": boolean; "aria-describedby": string | undefined }) => ReactNode;
}) {
  const id = useId();
  const says = error ?? hint;
  return (
    <chakra.div>
      <chakra.label htmlFor={id} fontSize="small" fontWeight={600} display="block" mb="3px">
        {label}
      </chakra.label>
      {children({ id, "aria-invalid": Boolean(error), "aria-describedby": says ? `${id}-says` : undefined })}
      {says && (
        <chakra.p id={`${id}-says`} fontSize="label" color={error ? "madder" : "muted"} mt="3px">
          {says}
        </chakra.p>
      )}
    </chakra.div>
  );
}

/** Heading of a view: what it is, what to do, and its buttons. */
export function ViewHead({ title, hint, children }: { title: string; hint?: ReactNode; children?: ReactNode }) {
  return (
    <chakra.header display="flex" alignItems="center" gap="10px" minH="32px" flexWrap="wrap" flexShrink={0}>
      <chakra.h1 fontSize="title" fontWeight={700} whiteSpace="nowrap">
        {title}
      </chakra.h1>
      <chakra.p color="muted" fontSize="small" flex="1 1 160px">
        {hint}
      </chakra.p>
      <Row className="no-print">{children}</Row>
    </chakra.header>
  );
}

/** Section of the inspector. */
export function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <chakra.section>
      <chakra.h2 fontSize="text" fontWeight={700} mb="6px">
        {title}
      </chakra.h2>
      {children}
    </chakra.section>
  );
}

/** Pairs are names with values, the values to be read out or copied. */
export function Pairs({ rows }: { rows: [ReactNode, ReactNode][] }) {
  return (
    <chakra.dl fontSize="small">
      {rows.map(([name, value], i) => (
        <chakra.div
          // biome-ignore lint/suspicious/noArrayIndexKey: the rows of a card keep their order
          key={i}
          display="grid"
          gridTemplateColumns="84px 1fr"
          gap="6px"
          py="5px"
          px="6px"
          borderBottom="1px solid"
          borderColor="hair"
        >
          <chakra.dt color="muted">{name}</chakra.dt>
          <chakra.dd overflowWrap="anywhere">{value}</chakra.dd>
        </chakra.div>
      ))}
    </chakra.dl>
  );
}

/** Empty says what to do where there is nothing yet. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <chakra.div
      border="2px dashed"
      borderColor="hair"
      borderRadius="8px"
      p="28px"
      textAlign="center"
      color="muted"
      bg="card"
    >
      <chakra.p fontWeight={700} color="ink" mb="4px">
        {title}
      </chakra.p>
      {children}
    </chakra.div>
  );
}

/** Gauge is a bar of how much of something is used or done. */
export function Gauge({
  value,
  of,
  tone,
  label,
}: {
  value: number;
  of: number;
  tone: "brassMark" | "mossMark" | "madderFill";
  label: string;
}) {
  return (
    <chakra.div
      role="meter"
      aria-label={label}
      aria-valuenow={value}
      aria-valuemin={0}
      aria-valuemax={Math.max(of, value)}
      h="10px"
      borderRadius="pill"
      bg="body"
      overflow="hidden"
    >
      <chakra.div h="100%" bg={tone} style={{ width: `${of === 0 ? 0 : Math.min(100, (100 * value) / of)}%` }} />
    </chakra.div>
  );
}

/** FormEnd closes a form in a dialog: what was refused, the way out and the way on. */
export function FormEnd({
  refused,
  leave,
  go,
  busy,
  onLeave,
}: {
  refused?: string;
  leave: string;
  go: string;
  busy: boolean;
  onLeave: () => void;
}) {
  return (
    <>
      {refused && (
        <chakra.p color="madder" role="alert">
          {refused}
        </chakra.p>
      )}
      <Row justifyContent="end">
        <Button onClick={onLeave}>{leave}</Button>
        <Button type="submit" variant="lead" disabled={busy}>
          {go}
        </Button>
      </Row>
    </>
  );
}
