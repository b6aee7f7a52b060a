import { Link as A, Button, Menu, Text } from "@chakra-ui/react";
import { Download, Printer } from "lucide-react";
import { useState } from "react";
import type { Answer, Router } from "../api/model";
import { useSite } from "../api/site";
import { Empty, Gauge, Remark, Section, ViewHead } from "../parts";
import { later } from "../parts/later";
import { plural, routerLabel } from "../parts/words";
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

/** filesOf are the files that can be saved; what is of one router is there for each. */
const filesOf = (a: Answer) =>
  a.files.flatMap((file): { file: Answer["files"][number]; router?: Router }[] =>
    file.ofRouter && a.site.routers.length > 1 ? a.site.routers.map((router) => ({ file, router })) : [{ file }],
  );

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
          {filesOf(a).map(({ file: f, router }) => (
            <Menu.Item key={`${f.name} ${router?.id}`} value={`${f.name} ${router?.id}`} asChild>
              <A
                href={`/api/sites/${encodeURIComponent(a.id)}/files/${encodeURIComponent(f.name)}${router ? `?router=${encodeURIComponent(router.id)}` : ""}`}
                download
                color="ink"
                textDecoration="none"
              >
                <b>{f.fileName}</b>
                <Text fontSize="small" color="muted">
                  {f.for}
                  {router && `: ${routerLabel(router)}`}
                </Text>
              </A>
            </Menu.Item>
          ))}
        </Menu.Content>
      </Menu.Positioner>
    </Menu.Root>
  );
}
