import { queryOptions } from "@tanstack/react-query";

import { client, dataOf } from "../api/client";
import type { components } from "../api/schema.gen";

export type AlertSettings = components["schemas"]["AlertSettings"];

export const alertsQuery = queryOptions({
  queryKey: ["alerts"],
  queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/alerts", { signal })),
});
