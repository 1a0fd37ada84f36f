import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import Typography from "@mui/material/Typography";
import { LineChart } from "@mui/x-charts/LineChart";
import { useQuery } from "@tanstack/react-query";

import { historyQuery } from "../api/queries";

const shown = 300; // seconds

/** Bit rate and frame rate of the last five minutes. */
export function RateChart({ feed }: { feed: string }) {
  const { data } = useQuery(historyQuery(feed));
  const { vars, palette } = useTheme();
  const colours = vars?.palette ?? palette;
  if (!data || data.length < 2) {
    return (
      <Box sx={{ height: 190, display: "grid", placeItems: "center" }}>
        <Typography color="textSecondary">{data ? "Nothing has come in yet." : "Loading …"}</Typography>
      </Box>
    );
  }
  const times = data.map((p) => new Date(p.at));
  const end = times[times.length - 1];
  return (
    <LineChart
      height={190}
      skipAnimation
      margin={{ left: 0, right: 0, top: 8, bottom: 0 }}
      xAxis={[
        {
          data: times,
          scaleType: "time",
          min: new Date(end.getTime() - shown * 1000),
          max: end,
          valueFormatter: (t: Date) => t.toLocaleTimeString(undefined, { hour: "2-digit", minute: "2-digit", second: "2-digit" }),
          tickNumber: 5,
        },
      ]}
      yAxis={[
        { id: "bits", label: "Mbit/s", min: 0, width: 52 },
        { id: "frames", label: "fps", min: 0, position: "right", width: 46 },
      ]}
      series={[
        { id: "b", yAxisId: "bits", data: data.map((p) => p.bitRate / 1e6), label: "bit rate", color: colours.primary.main, showMark: false, area: true, valueFormatter: (v) => (v === null ? "" : `${v.toFixed(2)} Mbit/s`) },
        { id: "f", yAxisId: "frames", data: data.map((p) => p.frameRate), label: "frame rate", color: colours.secondary.main, showMark: false, valueFormatter: (v) => (v === null ? "" : `${v.toFixed(1)} fps`) },
      ]}
      sx={{ "& .MuiLineChart-area": { fillOpacity: 0.15 } }}
      slotProps={{ legend: { position: { vertical: "top", horizontal: "end" } } }}
    />
  );
}
