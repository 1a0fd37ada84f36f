import { queryOptions } from "@tanstack/react-query";

import { client, dataOf } from "../api/client";
import type { components } from "../api/schema.gen";

export type ReachPort = components["schemas"]["ReachPort"];
export type ReachDevice = components["schemas"]["ReachDevice"];
export type RuleList = components["schemas"]["RuleList"];

export const reachQuery = queryOptions({
  queryKey: ["reach"],
  queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/reach", { signal })),
  refetchInterval: 15_000,
});

export const checkQuery = (code: string) =>
  queryOptions({
    queryKey: ["reach-check", code],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/reach/checks/{code}", { params: { path: { code } }, signal })),
    refetchInterval: 1500,
  });
