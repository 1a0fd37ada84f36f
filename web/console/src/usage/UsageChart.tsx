import { useTheme } from "@mui/material/styles";
import Typography from "@mui/material/Typography";
import { BarChart } from "@mui/x-charts/BarChart";

import type { Usage } from "../record/queries";
import { byDelivery } from "./days";

/** Gigabytes by day, the deliveries on top of each other. */
export function UsageChart({ usage }: { usage: Usage }) {
  const { vars, palette } = useTheme();
  const colours = vars?.palette ?? palette;
  const { days, series } = byDelivery(usage);
  if (series.length === 0) return <Typography color="textSecondary">Nothing was sent in this time.</Typography>;
  const shades = [colours.primary.main, colours.secondary.main, colours.success.main, colours.info.main, colours.error.main];
  return (
    <BarChart
      height={260}
      skipAnimation
      margin={{ left: 0, right: 16, top: 8, bottom: 0 }}
      xAxis={[{ data: days, scaleType: "band", valueFormatter: (d: string) => new Date(d).toLocaleDateString(undefined, { day: "numeric", month: "short", timeZone: "UTC" }) }]}
      yAxis={[{ label: "GB", width: 56 }]}
      series={series.map((s, i) => ({ ...s, stack: "all", color: shades[i % shades.length], valueFormatter: (v: number | null) => (v === null ? "" : `${v.toFixed(2)} GB`) }))}
      slotProps={{ legend: { position: { vertical: "top", horizontal: "end" } } }}
    />
  );
}
