import { infiniteQueryOptions } from "@tanstack/react-query";

import { client, dataOf } from "../api/client";
import type { paths } from "../api/schema.gen";

type Query = NonNullable<paths["/api/v1/events"]["get"]["parameters"]["query"]>;

const page = 300;

/** The filters of an address as the API takes them. */
export function queryOf(params: URLSearchParams, fold: boolean): Query {
  const text = (name: string): string | undefined => params.get(name) || undefined;
  const since = Date.parse(params.get("since") ?? "");
  return {
    feed: text("feed"),
    kind: text("kind") as Query["kind"],
    severity: text("severity") as Query["severity"],
    by: text("by"),
    search: text("search"),
    since: Number.isNaN(since) ? undefined : new Date(since).toISOString(),
    fold,
    limit: page,
  };
}

export const filteredEvents = (params: URLSearchParams, fold: boolean) =>
  infiniteQueryOptions({
    queryKey: ["events", "filtered", params.toString(), fold],
    queryFn: async ({ signal, pageParam }) => dataOf(await client.GET("/api/v1/events", { params: { query: { ...queryOf(params, fold), before: pageParam } }, signal })),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => last.before,
  });
