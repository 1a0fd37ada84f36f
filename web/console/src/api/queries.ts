import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { client, dataOf, type Feed } from "./client";
import type { paths } from "./schema.gen";

export const meQuery = queryOptions({
  queryKey: ["me"],
  queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/me", { signal })),
  retry: false,
  staleTime: Infinity,
});

export const signInQuery = queryOptions({
  queryKey: ["sign-in"],
  queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/sign-in", { signal })),
});

export const feedsQuery = queryOptions({
  queryKey: ["feeds"],
  queryFn: async ({ signal }) => (dataOf(await client.GET("/api/v1/feeds", { signal })).feeds ?? []) as Feed[],
  staleTime: Infinity, // the live stream writes it
});

export const historyQuery = (name: string) =>
  queryOptions({
    queryKey: ["history", name],
    queryFn: async ({ signal }) =>
      dataOf(await client.GET("/api/v1/feeds/{name}/history", { params: { path: { name } }, signal })).points ?? [],
    refetchInterval: 2000,
  });

export const viewersQuery = (feed: string) =>
  queryOptions({
    queryKey: ["viewers", feed],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/viewers", { params: { query: { feed } }, signal })).viewers ?? [],
    refetchInterval: 2000,
  });

export const eventsQuery = (feed: string | undefined, limit: number) =>
  queryOptions({
    queryKey: ["events", feed ?? "", limit],
    queryFn: async ({ signal }) =>
      dataOf(await client.GET("/api/v1/events", { params: { query: { feed, limit } }, signal })).events ?? [],
  });

export const linksQuery = (feed: string) =>
  queryOptions({
    queryKey: ["links", feed],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/feeds/{name}/links", { params: { path: { name: feed } }, signal })).links ?? [],
    refetchInterval: ({ state }) => ((state.data?.length ?? 0) > 200 ? false : 5000), // many are not asked for again and again
  });

export const accountsQuery = queryOptions({
  queryKey: ["accounts"],
  queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/accounts", { signal })).accounts ?? [],
});

export const tokensQuery = queryOptions({
  queryKey: ["tokens"],
  queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/tokens", { signal })).tokens ?? [],
});

export const sessionsQuery = (all: boolean) =>
  queryOptions({
    queryKey: ["sessions", all],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/sessions", { params: { query: { all } }, signal })).sessions ?? [],
  });

export const addressesQuery = queryOptions({
  queryKey: ["addresses"],
  queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/addresses", { signal })).addresses ?? [],
});

export type EmbedOptions = NonNullable<paths["/api/v1/feeds/{name}/embed"]["get"]["parameters"]["query"]>;

export const embedQuery = (feed: string, query: EmbedOptions) =>
  queryOptions({
    queryKey: ["embed", feed, query],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/feeds/{name}/embed", { params: { path: { name: feed }, query }, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });
