import { queryOptions } from "@tanstack/react-query";

import { client, dataOf, type Feed } from "./client";

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
