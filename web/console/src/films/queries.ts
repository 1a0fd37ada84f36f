import { queryOptions } from "@tanstack/react-query";

import { client, dataOf } from "../api/client";
import type { components } from "../api/schema.gen";

export type StillSchedule = components["schemas"]["StillSchedule"];
export type ScheduleState = components["schemas"]["ScheduleState"];
export type Film = components["schemas"]["Film"];
export type FilmJob = components["schemas"]["FilmJob"];

export const stillsQuery = (name: string) =>
  queryOptions({
    queryKey: ["stills", name],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/feeds/{name}/stills", { params: { path: { name } }, signal })),
    refetchInterval: 5000,
  });

export const filmsQuery = (name: string) =>
  queryOptions({
    queryKey: ["films", name],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/feeds/{name}/films", { params: { path: { name } }, signal })),
    refetchInterval: 2000,
  });
