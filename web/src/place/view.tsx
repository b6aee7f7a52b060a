import { Link as A, Button, Menu, Text } from "@chakra-ui/react";
import { Download, Printer } from "lucide-react";
import { useState } from "react";
import type { Router } from "../api/model";
import { useSite } from "../api/site";
import { Empty, Gauge, Remark, Section, ViewHead } from "../parts";
import { later } from "../parts/later";
import { plural } from "../parts/words";
import { Desk } from "../shell/desk";
import { FormCard } from "./form-card";
import { Sheet } from "./sheet";

const RouterForm = later(() => import("../shell/router-form").then((m) => m.RouterForm));

/** PlaceView is the sheet: what to type where, in an order that saves walking. */
export function PlaceView() {
  const a = useSite();
  const [form, setForm] = useState<Router>();
  const { again, done, steps } = a.left;
  return (
    <Desk
      inspector={
        <>
          <Section title="Done so far">
            <Gauge label="Steps done" value={done} of={steps} tone="moss" />
            <Text fontSize="small" color="muted" mt="4px">
              {done} of {plural(steps, "step")}
            </Text>
          </Section>
          {again > 0 && (
            <Remark status="warning">
              <b>The plan changed after {plural(again, "step")} was done.</b> Do {again === 1 ? "it" : "them"} again
              with the new values.
            </Remark>
          )}
          {a.site.routers.map((r) => (
            <FormCard key={r.id} router={r} onChange={() => setForm(r)} />
          ))}
        </>
      }
    >
      <ViewHead title="Put in place" hint="In the order that saves walking; press a value to copy it">
        <Button onClick={() => window.print()} disabled={a.sheet.length === 0}>
          <Printer aria-hidden="true" />
          Print
        </Button>
        <SaveMenu />
      </ViewHead>
      {a.sheet.length === 0 ? (
        <Empty title="Nothing to put in place yet">
          Pin a device or open a port: what is to be typed then stands here.
        </Empty>
      ) : (
        <Sheet groups={a.sheet} name={a.site.name} />
      )}
      {form && <RouterForm router={form} onClose={() => setForm(undefined)} />}
    </Desk>
  );
}

/** SaveMenu writes the plan as a file that another program takes. */
function SaveMenu() {
  const a = useSite();
  return (
    <Menu.Root positioning={{ placement: "bottom-end", strategy: "fixed" }}>
      <Menu.Trigger asChild>
        <Button>
          <Download aria-hidden="true" />
          Save as a file
        </Button>
      </Menu.Trigger>
      <Menu.Positioner>
        <Menu.Content>
          {a.files.map((f) => (
            <Menu.Item key={f.name} value={f.name} asChild>
              <A
                href={`/api/sites/${encodeURIComponent(a.id)}/files/${encodeURIComponent(f.name)}`}
                download
                color="ink"
                textDecoration="none"
              >
                <b>{f.fileName}</b>
                <Text fontSize="small" color="muted">
                  {f.for}
                </Text>
              </A>
            </Menu.Item>
          ))}
        </Menu.Content>
      </Menu.Positioner>
    </Menu.Root>
  );
}
