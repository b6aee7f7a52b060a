import { queryOptions } from "@tanstack/react-query";
import { api, must, Refused } from "./client";

/** wantedBefore is the address of the page that was asked for first. */
export function wantedBefore(): string {
  const here = window.location;
  try {
    const to = new URL(new URLSearchParams(here.search).get("to") ?? "/", here.origin);
    return to.origin === here.origin ? to.pathname + to.search + to.hash : "/";
  } catch {
    return "/"; // it is no address
  }
}

/** logIn begins a session; the browser keeps its cookie. */
export async function logIn(passphrase: string): Promise<void> {
  const response = await fetch("/api/session", {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ passphrase }),
  });
  if (response.ok) return;
  const problem: { detail?: string } = await response.json().catch(() => ({}));
  throw new Refused(response.status, problem.detail ?? `The server answered ${response.status}.`, []);
}

export const reachQuery = queryOptions({
  queryKey: ["reach"],
  queryFn: async () => must(await api.GET("/api/reach")),
});
