import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";

import { bits, codecName } from "../look/numbers";
import { names, type Outlook, type Plan } from "./usePlan";

/** The plan in a few sentences. */
export function Summary({ plan }: { plan: Plan }) {
  const s = plan.source;
  const best = plan.deliveries?.find((d) => d.delivery === plan.best);
  return (
    <Paper component="section" sx={{ p: 2 }}>
      <Typography variant="h2" gutterBottom>
        Use {names[plan.best as Outlook["delivery"]]}
        {best ? `: some ${seconds(best.seconds)} behind` : ""}
      </Typography>
      <Typography sx={{ "&::first-letter": { textTransform: "uppercase" } }}>{plan.why}.</Typography>
      <Typography color="textSecondary" sx={{ mt: 1 }}>
        The camera sends {codecName(s.codec)}, {s.width} × {s.height} at {s.frameRate.toFixed(1)} fps, {bits(s.bitRate)}
        {s.keyframeSeconds ? `, a keyframe every ${s.keyframeSeconds.toFixed(1)} s` : ""}
        {s.bFrames ? ", with B-frames" : ""}; sound: {s.audio || "none"}.
      </Typography>
      {(plan.lengths.notes ?? []).map((n) => (
        <Typography key={n} color="warning" sx={{ mt: 1 }}>
          {n}
        </Typography>
      ))}
    </Paper>
  );
}

export function seconds(v: number): string {
  return v < 1 ? `${(v * 1000).toFixed(0)} ms` : `${v.toFixed(2)} s`;
}
