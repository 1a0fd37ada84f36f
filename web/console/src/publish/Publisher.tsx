import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Slider from "@mui/material/Slider";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { client, dataOf, problemOf } from "../api/client";
import type { components } from "../api/schema.gen";
import { useLiveState } from "../live/Live";
import { span } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";

type Camera = components["schemas"]["PublisherCamera"];
type Wish = components["schemas"]["CameraWish"];

const publisherKey = (feed: string) => ["publisher", feed];

/** Who sends to a feed now; a camera page can be asked to change its camera. */
export function Publisher({ feed }: { feed: string }) {
  const { now } = useLiveState();
  const queries = useQueryClient();
  const params = { params: { path: { name: feed } } };
  const publisher = useQuery({
    queryKey: publisherKey(feed),
    queryFn: async () => dataOf(await client.GET("/api/v1/feeds/{name}/publisher", params)),
    refetchInterval: 2000,
    retry: false,
  });
  const ask = useMutation({
    mutationFn: async (body: Wish) => dataOf(await client.POST("/api/v1/feeds/{name}/publisher/camera", { ...params, body })),
    onSettled: () => queries.invalidateQueries({ queryKey: publisherKey(feed) }),
  });
  const end = useMutation({ mutationFn: async () => dataOf(await client.DELETE("/api/v1/feeds/{name}/publisher", params)) });
  const p = publisher.data;
  if (!p) return null;
  return (
    <Stack spacing={1.5}>
      <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
        <Typography variant="body2" sx={{ flex: 1, fontWeight: 600 }}>
          {p.protocol} from {p.address}, for {span(p.since, now)}
        </Typography>
        <Button size="small" color="error" loading={end.isPending} onClick={() => end.mutate()}>
          Cut off
        </Button>
      </Stack>
      {p.camera && <CameraTools key={p.camera.camera} camera={p.camera} onAsk={ask.mutate} />}
      {ask.isError && <ProblemBox problem={problemOf(ask.error)} />}
      {end.isError && <ProblemBox problem={problemOf(end.error)} />}
    </Stack>
  );
}

/** What can be asked of a phone's camera: no more than it has. */
function CameraTools({ camera: c, onAsk }: { camera: Camera; onAsk: (w: Wish) => void }) {
  return (
    <>
      {c.cameras.length > 1 && (
        <TextField select size="small" label="Its camera" value={c.camera} onChange={(e) => onAsk({ camera: Number(e.target.value) })}>
          {c.cameras.map((label, i) => (
            <MenuItem key={label} value={i}>
              {label}
            </MenuItem>
          ))}
        </TextField>
      )}
      {c.focus.length > 1 && (
        <TextField select size="small" label="Focus" value={c.focused ?? ""} onChange={(e) => onAsk({ focus: e.target.value })}>
          {c.focus.map((mode) => (
            <MenuItem key={mode} value={mode}>
              {mode}
            </MenuItem>
          ))}
        </TextField>
      )}
      {c.torch !== undefined && <FormControlLabel control={<Switch checked={c.torch} onChange={(_, torch) => onAsk({ torch })} />} label="Light" />}
      {c.zooms && (
        <Stack direction="row" spacing={2} sx={{ alignItems: "center" }}>
          <Typography variant="body2">Zoom</Typography>
          <Slider
            size="small"
            aria-label="Zoom"
            key={c.zoom}
            defaultValue={c.zoom ?? c.zooms.min}
            min={c.zooms.min}
            max={c.zooms.max}
            step={c.zooms.step}
            valueLabelDisplay="auto"
            onChangeCommitted={(_, zoom) => onAsk({ zoom: zoom as number })}
          />
        </Stack>
      )}
    </>
  );
}
