import { useState } from "react";
import { api, must } from "../api/client";
import { complain, useEdit } from "../api/edit";
import type { Device, Service } from "../api/model";
import { useSite } from "../api/site";
import { later } from "../parts/later";
import { label } from "../parts/words";
import { type Asked, said } from "./asked";

type Of = { service: Service; device: Device };
export type PullTo = (of: Of, outside: string, eyelet?: boolean) => Promise<boolean>;

const nameOf = ({ service, device }: Of) => `${label(device)} ${service.name ?? ""}`.trim();

const AskInTheWay = later(() => import("./ask-in-the-way").then((m) => m.AskInTheWay));

/**
 * usePullTo opens a service at an outside port, through all routers of its way. Where something is in
 * the way it asks first. The promise tells whether it was opened.
 */
export function usePullTo(): [PullTo, React.ReactNode] {
  const { id, version } = useSite();
  const edit = useEdit();
  const [asked, setAsked] = useState<Asked>();
  const pullTo: PullTo = async (of, outside, eyelet) => {
    const name = nameOf(of);
    try {
      const pulled = must(
        await api.GET("/api/sites/{id}/pull", {
          params: { path: { id }, query: { service: of.service.id, outside, eyelet } },
        }),
      );
      if (pulled.taken) return await new Promise<boolean>((answer) => setAsked({ name, pulled, version, answer }));
      await edit.make({ ...said(name, pulled.outside, pulled.edits, pulled.pins), version, inForm: true });
      return true;
    } catch (error) {
      complain(error);
      return false;
    }
  };
  const close = (done: boolean) => {
    asked?.answer(done);
    setAsked(undefined);
  };
  return [pullTo, asked && <AskInTheWay asked={asked} onClose={close} />];
}
