import { queryOptions } from "@tanstack/react-query";

import { client, dataOf } from "../api/client";
import type { components } from "../api/schema.gen";

export type MorningItem = components["schemas"]["MorningItem"];
export type Morning = components["schemas"]["Morning"];
export type Usage = components["schemas"]["Usage"];
export type Outage = components["schemas"]["Outage"];

const minute = 60_000;

export const availabilityQuery = (name: string) =>
  queryOptions({
    queryKey: ["availability", name],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/feeds/{name}/availability", { params: { path: { name } }, signal })),
    refetchInterval: minute,
  });

export const stripsQuery = queryOptions({
  queryKey: ["strips"],
  queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/availability", { signal })),
  refetchInterval: minute,
});

export const morningQuery = (since: string | undefined) =>
  queryOptions({
    queryKey: ["morning", since ?? ""],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/morning", { params: { query: since ? { since } : {} }, signal })),
    refetchInterval: minute,
  });

export const usageQuery = (from: string, to: string) =>
  queryOptions({
    queryKey: ["usage", from, to],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/usage", { params: { query: { from, to } }, signal })),
    refetchInterval: minute,
  });
