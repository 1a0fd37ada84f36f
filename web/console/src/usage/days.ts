import type { Usage } from "../record/queries";

/** The deliveries, in the order in which they stand in the chart. */
export const deliveries = [
  { key: "hls", label: "HLS" },
  { key: "fragments", label: "Live fragments" },
  { key: "webrtc", label: "WebRTC" },
  { key: "motion-jpeg", label: "Motion JPEG" },
  { key: "rtsp", label: "RTSP" },
] as const;

/** All days from one to another, both included. */
export function daysOf(from: string, to: string): string[] {
  const days: string[] = [];
  for (let t = Date.parse(from); t <= Date.parse(to); t += 86_400_000) days.push(new Date(t).toISOString().slice(0, 10));
  return days;
}

/** Gigabytes of each day by each delivery that there is any of. */
export function byDelivery(usage: Usage): { days: string[]; series: { label: string; data: number[] }[] } {
  const days = daysOf(usage.from, usage.to);
  const place = new Map(days.map((d, i) => [d, i]));
  const series = deliveries.map(({ key, label }) => {
    const data = days.map(() => 0);
    for (const r of usage.rows ?? []) {
      const i = place.get(r.day);
      if (r.delivery === key && i !== undefined) data[i] = (data[i] ?? 0) + r.bytes / 1e9;
    }
    return { label, data };
  });
  return { days, series: series.filter((s) => s.data.some((v) => v > 0)) };
}
