import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { client, dataOf } from "../api/client";
import type { components } from "../api/schema.gen";

export type Recordings = components["schemas"]["Recordings"];
export type Span = components["schemas"]["RecordedSpan"];
export type RecordingSettings = components["schemas"]["RecordingSettings"];
export type RecordingState = components["schemas"]["RecordingState"];
export type Motion = components["schemas"]["Motion"];

export const recordingsQuery = (name: string, from: number, to: number) =>
  queryOptions({
    queryKey: ["recordings", name, from, to],
    queryFn: async ({ signal }) =>
      dataOf(
        await client.GET("/api/v1/feeds/{name}/recordings", {
          params: { path: { name }, query: { from: new Date(from).toISOString(), to: new Date(to).toISOString() } },
          signal,
        }),
      ),
    refetchInterval: 5000,
    placeholderData: keepPreviousData,
  });

export const motionQuery = (name: string) =>
  queryOptions({
    queryKey: ["motion", name],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/feeds/{name}/motion", { params: { path: { name } }, signal })),
    refetchInterval: 1000,
  });
