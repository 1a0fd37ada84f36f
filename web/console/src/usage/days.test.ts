import { describe, expect, it } from "vitest";

import { byDelivery, daysOf } from "./days";

describe("usage by day", () => {
  it("has every day, over the end of a month", () => {
    expect(daysOf("2026-11-29", "2026-12-01")).toEqual(["2026-11-29", "2026-11-30", "2026-12-01"]);
  });

  it("adds feeds up by delivery and leaves out deliveries that nobody used", () => {
    const row = (day: string, delivery: string, bytes: number, feed = "a") => ({ day, delivery, bytes, feed, viewerHours: 1, mostViewers: 1 });
    const { days, series } = byDelivery({
      from: "2026-11-01", to: "2026-11-02", bytes: 0, viewerHours: 0, monthBytes: 0, totals: [], allowance: { bytes: 0, stop: false },
      rows: [row("2026-11-01", "hls", 1e9), row("2026-11-01", "hls", 2e9, "b"), row("2026-11-02", "webrtc", 5e8)],
    });
    expect(days).toHaveLength(2);
    expect(series).toEqual([
      { label: "HLS", data: [3, 0] },
      { label: "WebRTC", data: [0, 0.5] },
    ]);
  });
});
