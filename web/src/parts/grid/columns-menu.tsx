import { Button, Menu, useBreakpointValue } from "@chakra-ui/react";
import { Columns3 } from "lucide-react";
import type { GridColumn, GridModel } from "./model";

/** ColumnsMenu chooses which columns are shown; it is remembered. */
export function ColumnsMenu<R>({ grid }: { grid: GridModel<R> }) {
  const { layout, setLayout, columns } = grid;
  const roomy = useBreakpointValue({ base: 0, lg: 800 }) ?? 800;
  const shown = (c: GridColumn<R>) => layout.visible[c.id] ?? roomy >= (c.from ?? 0);
  return (
    <Menu.Root closeOnSelect={false} positioning={{ strategy: "fixed" }}>
      <Menu.Trigger asChild>
        <Button size="xs" px="5px" aria-label="Choose the columns" title="Choose the columns">
          <Columns3 aria-hidden="true" />
        </Button>
      </Menu.Trigger>
      <Menu.Positioner>
        <Menu.Content>
          {columns
            .filter((c) => !c.always && c.title)
            .map((c) => (
              <Menu.CheckboxItem
                key={c.id}
                value={c.id}
                checked={shown(c)}
                onCheckedChange={(on) => setLayout({ ...layout, visible: { ...layout.visible, [c.id]: on } })}
              >
                <Menu.ItemIndicator />
                {c.title}
              </Menu.CheckboxItem>
            ))}
          <Menu.Separator />
          <Menu.Item value="reset" onSelect={() => setLayout({ visible: {}, widths: {} })}>
            As they were at first
          </Menu.Item>
        </Menu.Content>
      </Menu.Positioner>
    </Menu.Root>
  );
}
