// Questions to the desk, with answers of the wire's types.
import type { ErrorAnswer } from "../wire/types.ts";
import { ownAddress } from "./own_address.ts";

/** What the desk could not do, in the words of the library. */
export class DeskError extends Error {
  readonly code: string;
  readonly fix: string;

  constructor(code: string, problem: string, fix: string) {
    super(problem);
    this.code = code;
    this.fix = fix;
  }
}

/** Whatever was thrown, to be shown. */
export const asDeskError = (reason: unknown) => (reason instanceof DeskError ? reason : new DeskError("failed", String(reason), ""));

const gone = new DeskError("unavailable", "The desk has ended.", "Open it again: idlemeter desk");

async function errorOf(response: Response): Promise<DeskError> {
  const text = await response.text();
  if (!response.headers.get("Content-Type")?.startsWith("application/json")) return new DeskError("failed", text.trim(), "");
  const { error } = JSON.parse(text) as ErrorAnswer;
  return new DeskError(error.code, error.where ? `${error.where}: ${error.problem}` : error.problem, error.fix);
}

async function asked(path: string, options: RequestInit): Promise<Response> {
  const response = await fetch(ownAddress(path), { ...options, credentials: "same-origin" }).catch((reason: unknown) => {
    if (reason instanceof DOMException && reason.name === "AbortError") throw reason;
    throw gone;
  });
  if (!response.ok) throw await errorOf(response);
  return response;
}

export async function ask<Answer>(path: string, parameters: Record<string, string | number>, signal?: AbortSignal): Promise<Answer> {
  const query = new URLSearchParams(Object.entries(parameters).map(([name, value]) => [name, String(value)]));
  const response = await asked(`${path}?${query}`, signal ? { signal } : {});
  return (await response.json()) as Answer;
}

export async function tell<Answer>(path: string, body: object): Promise<Answer> {
  const response = await asked(path, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) });
  return (await response.json()) as Answer;
}

export async function send<Answer>(path: string, parameters: Record<string, string>, body: Blob): Promise<Answer> {
  const response = await asked(`${path}?${new URLSearchParams(parameters)}`, { method: "POST", headers: { "Content-Type": "application/octet-stream" }, body });
  return (await response.json()) as Answer;
}

/** A file, and the name that the desk gives it. */
export async function receive(path: string, parameters: Record<string, string>): Promise<{ bytes: Blob; name: string }> {
  const response = await asked(`${path}?${new URLSearchParams(parameters)}`, {});
  const name = /filename="([^"]*)"/.exec(response.headers.get("Content-Disposition") ?? "")?.[1] ?? "file";
  return { bytes: await response.blob(), name };
}
