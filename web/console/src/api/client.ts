import createClient from "openapi-fetch";

import { base } from "./base";
import type { components, paths } from "./schema.gen";

type Whole<T> = { [K in keyof T]-?: NonNullable<T[K]> };
type Sent = components["schemas"]["FeedSettings"];

/** A feed's settings, of which the service tells all and takes some. */
export interface Settings {
  title: string;
  audience: Whole<NonNullable<Sent["audience"]>>;
  sites: string[];
  tags: string[];
  camera: Whole<Omit<NonNullable<Sent["camera"]>, "user" | "password">>;
  publish: Whole<NonNullable<Sent["publish"]>>;
  delivery: Whole<NonNullable<Sent["delivery"]>>;
  pictures: Whole<NonNullable<Sent["pictures"]>>;
  audio: Whole<NonNullable<Sent["audio"]>>;
  recording: NonNullable<Sent["recording"]>;
  combined: NonNullable<Sent["combined"]>;
  lens: NonNullable<Sent["lens"]>;
  outlet: NonNullable<Sent["outlet"]>;
  stills: NonNullable<Sent["stills"]>;
}
export type FeedChange = Sent;
export type Feed = Omit<components["schemas"]["Feed"], keyof Settings> & Settings;
export type NewFeed = components["schemas"]["NewFeed"];
export type FeedEvent = components["schemas"]["Event"];
export type Point = components["schemas"]["Point"];
export type Report = components["schemas"]["Report"];
export type Rendition = components["schemas"]["Rendition"];
export type NewRendition = components["schemas"]["NewRendition"];
export type CameraRequest = components["schemas"]["CameraRequest"];
export type FeedLink = components["schemas"]["Link"];
export type LinkSettings = components["schemas"]["LinkSettings"];
export type Account = components["schemas"]["Account"];
export type Token = components["schemas"]["Token"];
export type NewToken = components["schemas"]["NewToken"];
export type BrowserSession = components["schemas"]["BrowserSession"];
export type Embedding = components["schemas"]["Embedding"];
export type Address = components["schemas"]["Address"];
export type Viewer = components["schemas"]["Viewer"];
export type Me = components["schemas"]["Me"];

export const client = createClient<paths>({ baseUrl: `${base}/` });

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
