import { Box, Checkbox } from "@chakra-ui/react";
import type { ReactNode } from "react";

type Props = { checked: boolean; onChange: (on: boolean) => void; hint?: ReactNode; children: ReactNode };

/** Check is one thing that is wanted or not, with what it comes to below it. */
export function Check({ checked, onChange, hint, children }: Props) {
  return (
    <Checkbox.Root checked={checked} onCheckedChange={(e) => onChange(e.checked === true)} alignItems="start">
      <Checkbox.HiddenInput />
      <Checkbox.Control>
        <Checkbox.Indicator />
      </Checkbox.Control>
      <Checkbox.Label>
        {children}
        {hint && (
          <Box as="span" display="block" color="muted" fontSize="small">
            {hint}
          </Box>
        )}
      </Checkbox.Label>
    </Checkbox.Root>
  );
}
