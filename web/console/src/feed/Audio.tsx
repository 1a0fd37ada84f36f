import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";

import type { Feed } from "../api/client";
import { bytes } from "../look/numbers";

/** What the camera lets be heard, and what becomes of it in each delivery. */
export function Audio({ feed }: { feed: Feed }) {
  const { audioStatus: h } = feed;
  const channels = h.channels === 1 ? "mono" : h.channels === 2 ? "stereo" : `${h.channels} channels`;
  return (
    <Stack spacing={0.5}>
      <Typography variant="body2">
        {h.codec ? `${h.codec}, ${(h.clockRate ?? 0) / 1000} kHz, ${channels}` : "The camera sends none that can be used."}
        {h.lost > 0 && `, ${h.lost} packets lost`}
      </Typography>
      {h.codec &&
        [h.hls, h.webrtc].map((d) => (
          <Typography key={d.why} variant="body2" color="textSecondary">
            {d.why}
          </Typography>
        ))}
      {h.running && h.processor > 0 && (
        <Typography variant="body2" color="textSecondary" sx={{ fontVariantNumeric: "tabular-nums" }}>
          Transcoded now · {(h.processor * 100).toFixed(1)} % of a core · {bytes(h.memoryBytes)}
        </Typography>
      )}
    </Stack>
  );
}
