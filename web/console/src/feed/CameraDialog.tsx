import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf } from "../api/client";
import type { components } from "../api/schema.gen";
import { codecName } from "../look/numbers";
import { FormDialog } from "../parts/FormDialog";
import { controlsKey, type Controls } from "./controls";

type Change = components["schemas"]["VideoChange"];

/** Changes how a camera codes. What is written is read back from it. */
export function CameraDialog({ feed, controls, onClose }: { feed: string; controls: Controls; onClose: () => void }) {
  const queries = useQueryClient();
  const { video, options } = controls;
  const [values, setValues] = useState({
    codec: video.codec,
    size: `${video.width}x${video.height}`,
    rate: String(video.frameRate),
    kilobits: String(Math.round(video.bitRate / 1000)),
    keyframes: video.keyframeSeconds ? String(video.keyframeSeconds) : "",
  });
  const limits = (options ?? []).find((o) => o.codec === values.codec);
  const save = useMutation({
    mutationFn: async () => dataOf(await client.PATCH("/api/v1/feeds/{name}/camera/video", { params: { path: { name: feed } }, body: changed(values, video) })),
    onSuccess: (c) => {
      queries.setQueryData(controlsKey(feed), c);
      onClose();
    },
  });
  const field = (key: keyof typeof values, label: string, hint: string) => (
    <TextField label={label} value={values[key]} helperText={hint} onChange={(e) => setValues({ ...values, [key]: e.target.value })} sx={{ flex: 1 }} />
  );
  const choice = (key: "codec" | "size", label: string, list: string[], name: (v: string) => string) => (
    <TextField select label={label} value={values[key]} onChange={(e) => setValues({ ...values, [key]: e.target.value })} sx={{ flex: 1 }}>
      {[...new Set([values[key], ...list])].map((v) => (
        <MenuItem key={v} value={v}>
          {name(v)}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <FormDialog title="How the camera codes" action="Write to the camera" pending={save.isPending} problem={save.isError ? problemOf(save.error) : undefined} onSubmit={() => save.mutate()} onClose={onClose}>
      <Typography variant="body2" color="textSecondary">
        This changes the camera itself, for everybody who uses this stream of it.
      </Typography>
      <Stack direction="row" spacing={2}>
        {choice("codec", "Codec", (options ?? []).map((o) => o.codec), codecName)}
        {choice("size", "Size", limits?.sizes ?? [], (v) => v.replace("x", " × "))}
      </Stack>
      <Stack direction="row" spacing={2}>
        {field("rate", "Frames a second", limits ? `${limits.leastRate} to ${limits.mostRate}` : "")}
        {field("kilobits", "kbit/s", limits?.mostBitRate ? `${limits.leastBitRate / 1000} to ${limits.mostBitRate / 1000}` : "")}
        {field("keyframes", "Seconds to a keyframe", "1 or 2 suit HLS")}
      </Stack>
    </FormDialog>
  );
}

interface Values {
  codec: string;
  size: string;
  rate: string;
  kilobits: string;
  keyframes: string;
}

/** What is to be written: that which differs. */
export function changed(v: Values, now: Controls["video"]): Change {
  const change: Change = {};
  if (v.codec !== now.codec) change.codec = v.codec as NonNullable<Change["codec"]>;
  if (v.size !== `${now.width}x${now.height}`) change.size = v.size;
  if (Number(v.rate) !== now.frameRate) change.frameRate = Number(v.rate);
  if (Number(v.kilobits) * 1000 !== now.bitRate) change.bitRate = Number(v.kilobits) * 1000;
  // So many frames are so many seconds at another rate, too.
  if (v.keyframes !== "" && (Number(v.keyframes) !== now.keyframeSeconds || change.frameRate !== undefined)) change.keyframeSeconds = Number(v.keyframes);
  return change;
}
