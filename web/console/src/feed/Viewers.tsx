import CloseIcon from "@mui/icons-material/Close";
import IconButton from "@mui/material/IconButton";
import Stack from "@mui/material/Stack";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { client, dataOf, problemOf, type Viewer } from "../api/client";
import { viewersQuery } from "../api/queries";
import { useLiveState } from "../live/Live";
import { bits, bytes, share, span } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";

const methods: Record<Viewer["method"], string> = { hls: "HLS", fragments: "Live fragments", "motion-jpeg": "Motion JPEG", webrtc: "WebRTC", rtsp: "RTSP" };

/** Who watches a feed now; each can be ended. */
export function Viewers({ feed }: { feed: string }) {
  const query = viewersQuery(feed);
  const viewers = useQuery(query);
  const queries = useQueryClient();
  const end = useMutation({
    mutationFn: async (id: string) => dataOf(await client.DELETE("/api/v1/viewers/{id}", { params: { path: { id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: query.queryKey }),
  });
  return (
    <Stack spacing={0.75}>
      {viewers.data?.length === 0 && (
        <Typography variant="body2" color="textSecondary">
          Nobody watches now.
        </Typography>
      )}
      {viewers.data?.map((v) => (
        <Row key={v.id} viewer={v} onEnd={() => end.mutate(v.id)} />
      ))}
      {end.isError && <ProblemBox problem={problemOf(end.error)} />}
    </Stack>
  );
}

function Row({ viewer: v, onEnd }: { viewer: Viewer; onEnd: () => void }) {
  const { now } = useLiveState();
  const parts = [`for ${span(v.since, now)}`, bytes(v.bytes)];
  if (v.variant) parts.push(v.variant);
  if (v.now) parts.push(`gets ${v.now} over a poor connection`);
  if (v.estimate > 0) parts.push(`bandwidth ${bits(v.estimate)}`);
  if (v.loss > 0) parts.push(`${share(v.loss)} lost`);
  return (
    <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
      <Stack sx={{ flex: 1, minWidth: 0 }}>
        <Typography variant="body2">
          {methods[v.method]} · {v.address}
          {v.by && ` · by ${v.by}`}
        </Typography>
        <Typography variant="caption" color="textSecondary" sx={{ fontVariantNumeric: "tabular-nums" }}>
          {parts.join(" · ")}
        </Typography>
      </Stack>
      <Tooltip title="End this viewer">
        <IconButton size="small" aria-label={`End the viewer at ${v.address} by ${methods[v.method]}`} onClick={onEnd}>
          <CloseIcon fontSize="inherit" />
        </IconButton>
      </Tooltip>
    </Stack>
  );
}
