/** The HTTP side: a typed client, and its failures as something to show. */

import createClient from "openapi-fetch";

import type { paths } from "../api/schema";
import type { Told } from "./types";

export const server = createClient<paths>({ baseUrl: "/" });

export class Failure extends Error implements Told {
  constructor(
    readonly problem: string,
    readonly remedy: string,
    readonly status: number,
  ) {
    super(`${problem} ${remedy}`);
  }
}

function failure(error: unknown, status: number): Failure {
  const told = (error ?? {}) as Partial<Told>;
  return new Failure(
    told.problem ?? `The server answered with an error (${status}).`,
    told.remedy ?? "Try again; if it stays, restart Ash Blend.",
    status,
  );
}

/** The data of an answer; throws a Failure otherwise. T is named by the caller: the client widens tuples. */
export async function answer<T>(
  request: Promise<{ data?: unknown; error?: unknown; response: Response }>,
): Promise<T> {
  let result;
  try {
    result = await request;
  } catch {
    throw new Failure("The server does not answer.", "Check that Ash Blend is still running.", 0);
  }
  if (!result.response.ok) throw failure(result.error, result.response.status);
  return result.data as T;
}

/** Bytes that answer a question with a body. */
export const bytesOf = (path: string, body: unknown): Promise<ArrayBuffer> =>
  bytes(path, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
  });

/** Fetch bytes that the typed client has no use for. */
export async function bytes(path: string, more?: RequestInit): Promise<ArrayBuffer> {
  let response: Response;
  try {
    response = await fetch(path, more);
  } catch {
    throw new Failure("The server does not answer.", "Check that Ash Blend is still running.", 0);
  }
  if (!response.ok) throw failure(await response.json().catch(() => null), response.status);
  return response.arrayBuffer();
}

/** Post a form; the browser writes its own multipart boundary. */
export async function post<T>(path: string, form: FormData): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, { method: "POST", body: form });
  } catch {
    throw new Failure("The server does not answer.", "Check that Ash Blend is still running.", 0);
  }
  const body: unknown = await response.json().catch(() => null);
  if (!response.ok) throw failure(body, response.status);
  return body as T;
}

export const packPath = (material: string, pack: "surface" | "detail", size: number, revision: number) =>
  `/api/materials/${material}/packs/${pack}?size=${size}&revision=${revision}`;

export const picturesTexels = (picture: string) => `/api/stencils/${picture}/texels`;

export const picturePath = (material: string, revision: number) =>
  `/api/materials/${material}/picture?revision=${revision}`;
