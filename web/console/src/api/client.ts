import createClient from "openapi-fetch";

import type { components, paths } from "./schema.gen";

export type Feed = components["schemas"]["Feed"];
export type NewFeed = components["schemas"]["NewFeed"];
export type FeedChange = components["schemas"]["FeedChange"];
export type FeedEvent = components["schemas"]["Event"];
export type Point = components["schemas"]["Point"];
export type Report = components["schemas"]["Report"];
export type Rendition = components["schemas"]["Rendition"];
export type RenditionBody = components["schemas"]["RenditionBody"];
export type CameraRequest = components["schemas"]["CameraRequest"];
export type Viewer = components["schemas"]["Viewer"];
export type Me = components["schemas"]["Me"];

export const client = createClient<paths>({ baseUrl: "/" });

/** A problem answer of the service, as an error. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly code?: string,
    readonly remedy?: string,
    readonly fields: Record<string, string> = {},
  ) {
    super(message);
  }
}

interface ProblemBody {
  title?: string;
  detail?: string;
  code?: string;
  remedy?: string;
  errors?: { location?: string; message?: string }[] | null;
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Returns the answer's data, or throws its problem. */
export function dataOf<T>({ data, error, response }: Answer<T>): T {
  if (response.ok) return data as T;
  const p = (error ?? {}) as ProblemBody;
  const fields: Record<string, string> = {};
  for (const e of p.errors ?? []) {
    if (e.location && e.message) fields[e.location.replace(/^body\./, "")] = e.message;
  }
  throw new Problem(response.status, p.detail ?? p.title ?? "The service refused.", p.code, p.remedy, fields);
}

/** What to show for any error. */
export function problemOf(e: unknown): Problem {
  if (e instanceof Problem) return e;
  return new Problem(0, "The service does not answer.", "service-unreachable", "Check that it is running, then try again.");
}
