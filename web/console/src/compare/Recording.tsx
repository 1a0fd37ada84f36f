import DownloadIcon from "@mui/icons-material/FileDownloadOutlined";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { useTheme } from "@mui/material/styles";
import { LineChart } from "@mui/x-charts/LineChart";

import { toCSV, type Way, ways } from "./measure";

export interface Row {
  second: number;
  delays: Record<Way, number | null>;
}

/** A recorded minute, as a chart and to take along. */
export function Recording({ feed, rows }: { feed: string; rows: Row[] }) {
  const { vars, palette } = useTheme();
  const colours = vars?.palette ?? palette;
  const colour: Record<Way, string> = { webrtc: colours.success.main, fragments: colours.warning.main, "hls-plain": colours.info.main, "motion-jpeg": colours.secondary.main, hls: colours.primary.main };
  return (
    <Stack spacing={1}>
      <LineChart
        height={220}
        skipAnimation
        margin={{ left: 0, right: 8, top: 8, bottom: 0 }}
        xAxis={[{ data: rows.map((r) => r.second), label: "seconds", min: 0, max: 60 }]}
        yAxis={[{ label: "delay, ms (log)", scaleType: "log", min: 10, width: 64 }]}
        series={ways.map((w) => ({
          id: w.way,
          label: w.name,
          data: rows.map((r) => (r.delays[w.way] === null ? null : Math.max(r.delays[w.way] ?? 0, 10))),
          color: colour[w.way],
          showMark: false,
          connectNulls: true,
          valueFormatter: (v: number | null) => (v === null ? "" : `${v.toFixed(0)} ms`),
        }))}
        slotProps={{ legend: { position: { vertical: "top", horizontal: "end" } } }}
      />
      <Button startIcon={<DownloadIcon />} sx={{ alignSelf: "start" }} onClick={() => save(`${feed}-delay.csv`, toCSV(rows))}>
        Download as CSV
      </Button>
    </Stack>
  );
}

function save(name: string, text: string) {
  const url = URL.createObjectURL(new Blob([text], { type: "text/csv" }));
  Object.assign(document.createElement("a"), { href: url, download: name }).click();
  URL.revokeObjectURL(url);
}
