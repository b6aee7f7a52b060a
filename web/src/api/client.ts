import createClient from "openapi-fetch";
import { asked } from "./away";
import type { paths } from "./schema";

export const api = createClient<paths>({ baseUrl: "/", fetch: asked });

const loginPath = "/login";

/** Whoever is not logged in, or not any more, is asked for the passphrase and comes back. */
function askWhoItIs(response: Response) {
  if (response.status !== 401 || window.location.pathname === loginPath) return;
  const wanted = window.location.pathname + window.location.search;
  window.location.assign(`${loginPath}?to=${encodeURIComponent(wanted)}`);
}

api.use({ onResponse: ({ response }) => askWhoItIs(response) });

/** Fault is what one field of a form, or one edit meanwhile, is told. */
export type Fault = {
  where: string;
  /** where it stands in the request, as a program is told */
  path: string;
  says: string;
  value: unknown;
};

/** Refused is an answer of the server that says why something was not done. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly faults: Fault[],
  ) {
    super(message);
  }

  /** of gives what is said of one field. */
  of(field: string): string | undefined {
    return this.faults.find((f) => f.where === field)?.says;
  }
}

type Problem = {
  status?: number;
  detail?: string;
  title?: string;
  errors?: { location?: string; message?: string; value?: unknown }[] | null;
};

/**
 * plain parts what a program is told of where something stands in a request, as in
 * "body.edits[0].interface.mac: ", from what a person is told.
 */
function plain(text: string): { at: string; path: string; says: string } {
  const [, path = "", says = text] = /^((?:body|site)(?:\.\w+|\[\d+\])+): (.*)$/s.exec(text) ?? [];
  const at = /\w+$/.exec(path)?.[0] ?? "";
  return { at, path, says: says.replace(" is not accepted: want ", " cannot be taken: it has to be ") };
}

/** must unwraps an answer, or throws a Refused with what the server said. */
export function must<T>(r: { data?: T; error?: Problem; response: Response }): T {
  if (r.response.ok && r.data !== undefined) return r.data;
  const p = r.error ?? {};
  throw new Refused(
    r.response.status,
    plain(p.detail ?? p.title ?? `The server answered ${r.response.status}.`).says,
    (p.errors ?? []).map((e) => {
      const { at, path, says } = plain(e.message ?? "");
      return { where: at || (e.location ?? ""), path: path || (e.location ?? ""), says, value: e.value };
    }),
  );
}

/** done passes an answer that has nothing to say, or throws a Refused. */
export function done(r: { error?: Problem; response: Response }) {
  if (!r.response.ok) must({ error: r.error, response: r.response });
}

/** ask sends what the description of the interface has no words for, such as files. */
export async function ask<T>(path: string, init: RequestInit): Promise<T> {
  const response = await asked(new Request(path, init));
  askWhoItIs(response);
  const body = await response.json().catch(() => ({}));
  return response.ok ? must<T>({ data: body, response }) : must<T>({ error: body, response });
}

/** sayWhy words any error for a person. */
export function sayWhy(error: unknown): string {
  if (error instanceof Refused) return error.message;
  if (error instanceof TypeError)
    return "The program does not answer. Is it still running? Nothing was changed; try again.";
  return error instanceof Error ? error.message : String(error);
}
