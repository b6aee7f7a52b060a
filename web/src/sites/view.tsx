import { chakra } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import type * as React from "react";
import { useRef, useState } from "react";
import { useForm } from "react-hook-form";
import { Link, useNavigate } from "react-router";
import { api, must, Refused, sayWhy } from "../api/client";
import type { Summary } from "../api/model";
import { sitesQuery, useNews } from "../api/site";
import { Button, Empty, Field, FormEnd, Input, Mono, Row, Stack, Tag, ViewHead } from "../parts";
import { Dialog } from "../parts/dialog";
import { useNotice } from "../parts/notice";
import { clock, plural } from "../parts/words";
import { Bar } from "../shell/bar";

/** SitesView lists all sites, makes new ones and takes site files. */
export function SitesView() {
  const { data, error, isPending } = useQuery(sitesQuery);
  const [making, setMaking] = useState(false);
  const [removing, setRemoving] = useState<Summary>();
  const file = useRef<HTMLInputElement>(null);
  const take = useImport();
  const client = useQueryClient();
  const notice = useNotice();
  const understand = async (s: Summary) => {
    const { error } = await api.DELETE("/api/sites/{id}/notice", { params: { path: { id: s.id } } });
    if (error) notice.warn(error.detail ?? "That could not be noted.");
    await client.invalidateQueries({ queryKey: sitesQuery.queryKey });
  };
  useNews();
  return (
    <>
      <Bar />
      <chakra.main
        maxW="1000px"
        m="auto"
        px="24px"
        py="22px"
        onDragOver={(e) => e.preventDefault()}
        onDrop={(e) => {
          e.preventDefault();
          take(e.dataTransfer.files[0]);
        }}
      >
        <ViewHead title="Sites" hint={data ? plural(data.length, "site") : ""}>
          <chakra.input
            ref={file}
            type="file"
            accept=".json,application/json"
            hidden
            aria-label="Site file"
            onChange={(e) => {
              take(e.target.files?.[0]);
              e.target.value = "";
            }}
          />
          <Button onClick={() => file.current?.click()}>Take in a site file</Button>
          <Button variant="lead" onClick={() => setMaking(true)}>
            New site
          </Button>
        </ViewHead>
        <chakra.div mt="16px">
          {isPending && <p role="status">Looking for sites…</p>}
          {error && <Empty title="The sites cannot be read">{sayWhy(error)}</Empty>}
          {data?.length === 0 && (
            <Empty title="No site yet">
              <p>Make one from what the router says of its subnet, or drop a site file here.</p>
              <Button variant="lead" mt="12px" onClick={() => setMaking(true)}>
                New site
              </Button>
            </Empty>
          )}
          {data && data.length > 0 && (
            <chakra.ul display="grid" gap="10px">
              {data.map((s) => (
                <chakra.li
                  key={s.id}
                  bg="card"
                  border="1px solid"
                  borderColor="hair"
                  borderRadius="8px"
                  px="18px"
                  py="12px"
                  _hover={{ borderColor: "brassMark" }}
                  position="relative"
                  css={{ "& .stretched::after": { content: '""', position: "absolute", inset: 0 } }}
                >
                  <chakra.div
                    display="grid"
                    gridTemplateColumns="minmax(0, 1fr) 130px 90px 120px 290px"
                    gap="14px"
                    alignItems="center"
                  >
                    <chakra.div minW={0}>
                      {s.damaged ? (
                        <chakra.b display="block" overflowWrap="anywhere">
                          {s.name}
                        </chakra.b>
                      ) : (
                        <Link
                          to={`/s/${encodeURIComponent(s.id)}/survey`}
                          style={{ fontWeight: 700, fontSize: "1rem", color: "inherit" }}
                          className="stretched"
                        >
                          <chakra.span display="block" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                            {s.name}
                          </chakra.span>
                        </Link>
                      )}
                      <chakra.p fontSize="label" color="muted">
                        changed {clock(s.changed)}
                      </chakra.p>
                    </chakra.div>
                    <Mono>{s.subnet}</Mono>
                    <span>{s.damaged ? "" : plural(s.devices, "device")}</span>
                    <span>
                      {s.damaged ? (
                        <Tag tone="madder">cannot be read</Tag>
                      ) : s.needPin > 0 ? (
                        <Tag>{plural(s.needPin, "needs", "need")} a pin</Tag>
                      ) : (
                        <Tag tone="moss">all pinned</Tag>
                      )}
                    </span>
                    <Row justifyContent="end">
                      {s.stops > 0 && <Tag tone="madder">{plural(s.stops, "stops", "stop")} work</Tag>}
                      {s.bites > 0 && <Tag>{s.bites} will bite</Tag>}
                      <chakra.a
                        href={`/api/sites/${encodeURIComponent(s.id)}/file`}
                        download
                        fontSize="small"
                        position="relative"
                        zIndex={1}
                        aria-label={`Save ${s.name} as a site file`}
                      >
                        Site file
                      </chakra.a>
                      <Button
                        variant="mend"
                        fontSize="small"
                        position="relative"
                        zIndex={1}
                        aria-label={`Remove ${s.name}`}
                        onClick={() => setRemoving(s)}
                      >
                        Remove
                      </Button>
                    </Row>
                  </chakra.div>
                  {(s.damaged || s.notice) && (
                    <chakra.p mt="6px" fontSize="small" color={s.damaged ? "madder" : "muted"} overflowWrap="anywhere">
                      {s.damaged
                        ? `${s.damaged}. Save it as a file as it stands, or remove it; the other sites are not touched by it.`
                        : s.notice}{" "}
                      {!s.damaged && (
                        <Button variant="mend" position="relative" zIndex={1} onClick={() => understand(s)}>
                          Understood
                        </Button>
                      )}
                    </chakra.p>
                  )}
                </chakra.li>
              ))}
            </chakra.ul>
          )}
        </chakra.div>
      </chakra.main>
      {making && <NewSite onClose={() => setMaking(false)} />}
      {removing && <RemoveSite site={removing} onClose={() => setRemoving(undefined)} />}
    </>
  );
}

/** RemoveSite asks before a site goes with its history. */
function RemoveSite({ site, onClose }: { site: Summary; onClose: () => void }) {
  const client = useQueryClient();
  const [refused, setRefused] = useState<string>();
  const [busy, setBusy] = useState(false);
  const remove = async (e: React.FormEvent) => {
    e.preventDefault();
    setBusy(true);
    const { error, response } = await api.DELETE("/api/sites/{id}", { params: { path: { id: site.id } } });
    setBusy(false);
    if (!response.ok && response.status !== 404)
      return setRefused(error?.detail ?? `The server answered ${response.status}.`);
    await client.invalidateQueries({ queryKey: sitesQuery.queryKey });
    onClose();
  };
  return (
    <Dialog title={`Remove ${site.name}`} onClose={onClose}>
      <form onSubmit={remove}>
        <Stack gap="12px">
          <p>
            The site goes with its devices, forwards, visits and history. This cannot be undone: save it as a{" "}
            <a href={`/api/sites/${encodeURIComponent(site.id)}/file`} download>
              site file
            </a>{" "}
            first if you may want it again.
          </p>
          <FormEnd refused={refused} leave="Keep it" go="Remove the site" busy={busy} onLeave={onClose} />
        </Stack>
      </form>
    </Dialog>
  );
}

function useImport() {
  const navigate = useNavigate();
  const client = useQueryClient();
  const notice = useNotice();
  return async (file: File | undefined) => {
    if (!file) return;
    try {
      const made = must(
        await api.POST("/api/sites/import", {
          body: (await file.text()) as never,
          bodySerializer: (b) => b as unknown as string,
          headers: { "Content-Type": "application/json" },
        }),
      );
      client.invalidateQueries({ queryKey: sitesQuery.queryKey });
      navigate(`/s/${encodeURIComponent(made.id)}/survey`);
    } catch (error) {
      notice.warn(`${file.name}: ${sayWhy(error)}`);
    }
  };
}

type Typed = { name: string; subnet: string; gateway: string; range: string };

function NewSite({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const [refused, setRefused] = useState<unknown>();
  const { register, handleSubmit, formState } = useForm<Typed>();
  const make = handleSubmit(async (body) => {
    try {
      const made = must(await api.POST("/api/sites", { body }));
      client.invalidateQueries({ queryKey: sitesQuery.queryKey });
      navigate(`/s/${encodeURIComponent(made.id)}/survey`);
    } catch (error) {
      setRefused(error);
    }
  });
  const fault = (field: string) => (refused instanceof Refused ? refused.of(field) : undefined);
  return (
    <Dialog title="New site" onClose={onClose}>
      <form onSubmit={make}>
        <Stack gap="12px">
          <Field label="Name" error={fault("name")}>
            {(p) => <Input {...p} {...register("name")} />}
          </Field>
          <Field
            label="Subnet"
            error={fault("subnet")}
            hint="10.48.16.0/24, or address and mask: 10.48.16.7 255.255.255.0"
          >
            {(p) => <Input {...p} {...register("subnet")} fontFamily="mono" />}
          </Field>
          <Field label="Gateway" error={fault("gateway")} hint="The router's address; .1 will do">
            {(p) => <Input {...p} {...register("gateway")} fontFamily="mono" />}
          </Field>
          <Field label="DHCP range" error={fault("ranges")} hint="What the router hands out: .100-.179">
            {(p) => <Input {...p} {...register("range")} fontFamily="mono" />}
          </Field>
          <FormEnd
            refused={refused ? sayWhy(refused) : undefined}
            leave="Not now"
            go="Make the site"
            busy={formState.isSubmitting}
            onLeave={onClose}
          />
        </Stack>
      </form>
    </Dialog>
  );
}
