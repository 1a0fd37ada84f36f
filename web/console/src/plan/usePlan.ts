import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { client, dataOf } from "../api/client";
import type { components } from "../api/schema.gen";

export type Plan = components["schemas"]["Plan"];
export type Outlook = components["schemas"]["PlanDelivery"];

/** Who will watch, as it is typed; empty is the feed's own, or not known. */
export interface Demand {
  viewers: string;
  within: string;
  uplink: string; // Mbit/s
  listen: boolean;
}

export const names: Record<Outlook["delivery"], string> = { hls: "HLS", fragments: "Live fragments", webrtc: "WebRTC", "motion-jpeg": "Motion JPEG" };

/** What the service is asked. */
export function queryOf(d: Demand) {
  const within = d.within.trim() === "" ? NaN : Number(d.within);
  return {
    viewers: Math.max(1, Math.round(Number(d.viewers)) || 1),
    within: within >= 0 ? within : undefined,
    listen: d.listen,
    uplink: Number(d.uplink) > 0 ? Number(d.uplink) * 1e6 : undefined,
  };
}

export const planQuery = (name: string, demand: Demand) =>
  queryOptions({
    queryKey: ["plan", name, demand],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/feeds/{name}/plan", { params: { path: { name }, query: queryOf(demand) }, signal })),
    placeholderData: keepPreviousData,
    refetchInterval: 5000,
  });
