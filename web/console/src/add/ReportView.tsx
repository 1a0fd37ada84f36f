import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";

import type { Report } from "../api/client";
import { bits, codecName, rate, size } from "../look/numbers";
import { names } from "../plan/usePlan";

function rows(r: Report): [string, string][] {
  const picture: [string, string][] = [
    ["Picture", size(r.width, r.height)],
    ["Frame rate", rate(r.frameRate)],
    ["Bit rate", bits(r.bitRate)],
  ];
  if (r.codec === "JPEG") {
    return [...picture, ["Codec", `JPEG ${r.sampling ?? ""}`], ["Got as", r.transport === "poll" ? "one at a time" : "a stream"], ["Not whole", String(r.dropped)]];
  }
  return [
    ...picture,
    ["Codec", `${codecName(r.codec)} ${r.profile ?? ""} ${r.level ?? ""}`],
    ["Keyframes", r.keyframeSeconds ? `every ${r.keyframeSeconds.toFixed(2)} s` : "fewer than two seen"],
    ["B-frames", r.bFrames ? "yes" : "no"],
    ["Transport", r.transport.toUpperCase()],
    ["Loss", `${r.lost} of ${r.packets + r.lost} packets`],
    ["Jitter", `${(1000 * r.jitterSeconds).toFixed(0)} ms`],
    ["Fullest second", bits(r.peakBitRate)],
  ];
}

function playsAsIs(deliveries: string[]): string {
  return deliveries.length > 0 ? `${deliveries.map((d) => names[d as keyof typeof names]).join(", ")} as it is` : "everything is transcoded";
}

/** What looking into a camera has found. */
export function ReportView({ report }: { report: Report }) {
  return (
    <Paper sx={{ p: 2, bgcolor: "background.default" }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        It works
      </Typography>
      {report.picture && (
        <Box
          component="img"
          src={`data:image/jpeg;base64,${report.picture}`}
          alt="What the camera shows"
          sx={{ display: "block", width: "100%", borderRadius: 1, mb: 1.5, aspectRatio: `${report.width} / ${report.height}`, bgcolor: "black" }}
        />
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: { xs: "1fr 1fr", sm: "repeat(4, 1fr)" }, gap: 1.5 }}>
        {rows(report).map(([name, value]) => (
          <Box key={name}>
            <Typography variant="caption" color="textSecondary">
              {name}
            </Typography>
            <Typography variant="body2" sx={{ fontVariantNumeric: "tabular-nums" }}>
              {value}
            </Typography>
          </Box>
        ))}
      </Box>
      <Typography sx={{ mt: 1.5 }}>{report.verdict}</Typography>
      <Typography variant="body2" color="textSecondary">
        {(report.browsers ?? []).map((b) => `${b.engine}: ${playsAsIs(b.asIs ?? [])}`).join("; ")}.
      </Typography>
      {(report.notes ?? []).map((n) => (
        <Alert key={n} severity="info" sx={{ mt: 1.5 }}>
          {n}
        </Alert>
      ))}
    </Paper>
  );
}
