import Button from "@mui/material/Button";
import ButtonGroup from "@mui/material/ButtonGroup";
import MenuItem from "@mui/material/MenuItem";
import Slider from "@mui/material/Slider";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf } from "../api/client";
import type { components } from "../api/schema.gen";
import { bits, codecName } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import { CameraDialog } from "./CameraDialog";
import { controlsKey, type Controls } from "./controls";

type Level = NonNullable<Controls["picture"]>[number];
type Filter = "ON" | "OFF" | "AUTO";

/** What the camera behind a feed is set to by ONVIF, and its presets and moves. */
export function Camera({ feed }: { feed: string }) {
  const [editing, setEditing] = useState(false);
  const controls = useQuery({
    queryKey: controlsKey(feed),
    queryFn: async () => dataOf(await client.GET("/api/v1/feeds/{name}/camera", { params: { path: { name: feed } } })),
    staleTime: 60_000,
    retry: false,
  });
  if (controls.isError) return <ProblemBox problem={problemOf(controls.error)} />;
  const c = controls.data;
  if (!c) return <Typography variant="body2">Asking the camera …</Typography>;
  const v = c.video;
  const facts = [`${codecName(v.codec)} ${v.profile ?? ""}`.trim(), `${v.width} × ${v.height}`, `${v.frameRate} fps`, bits(v.bitRate), v.keyframeSeconds ? `a keyframe every ${v.keyframeSeconds.toFixed(1)} s` : ""];
  return (
    <Stack spacing={2}>
      <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
        <Typography variant="body2" data-camera={v.codec} sx={{ flex: 1 }}>
          {facts.filter(Boolean).join(", ")}
        </Typography>
        <Button size="small" onClick={() => setEditing(true)}>
          Change
        </Button>
      </Stack>
      {c.moves && <Moves feed={feed} presets={c.presets ?? []} />}
      <Picture feed={feed} controls={c} />
      {(c.notes ?? []).map((n) => (
        <Typography key={n} variant="body2" color="warning">
          {n}
        </Typography>
      ))}
      {editing && <CameraDialog feed={feed} controls={c} onClose={() => setEditing(false)} />}
    </Stack>
  );
}

type Move = components["schemas"]["CameraMove"];

const step = 0.1;
const steps: { label: string; move: Move }[] = [
  { label: "Left", move: { pan: -step } },
  { label: "Right", move: { pan: step } },
  { label: "Up", move: { tilt: step } },
  { label: "Down", move: { tilt: -step } },
  { label: "Nearer", move: { zoom: step } },
  { label: "Farther", move: { zoom: -step } },
];

function Moves({ feed, presets }: { feed: string; presets: NonNullable<Controls["presets"]> }) {
  const move = useMutation({
    mutationFn: async (body: Move) => dataOf(await client.POST("/api/v1/feeds/{name}/camera/move", { params: { path: { name: feed } }, body })),
  });
  return (
    <Stack spacing={1}>
      {presets.length > 0 && (
        <Stack direction="row" spacing={1} useFlexGap sx={{ flexWrap: "wrap" }}>
          {presets.map((p) => (
            <Button key={p.token} size="small" variant="outlined" onClick={() => move.mutate({ preset: p.token })}>
              {p.name}
            </Button>
          ))}
        </Stack>
      )}
      <ButtonGroup size="small" variant="outlined" aria-label="Move the camera" sx={{ flexWrap: "wrap" }}>
        {steps.map((s) => (
          <Button key={s.label} onClick={() => move.mutate(s.move)}>
            {s.label}
          </Button>
        ))}
      </ButtonGroup>
      {move.isError && <ProblemBox problem={problemOf(move.error)} />}
    </Stack>
  );
}

function Picture({ feed, controls }: { feed: string; controls: Controls }) {
  const queries = useQueryClient();
  const set = useMutation({
    mutationFn: async (body: components["schemas"]["PictureChange"]) =>
      dataOf(await client.PATCH("/api/v1/feeds/{name}/camera/picture", { params: { path: { name: feed } }, body })),
    onSuccess: (c) => queries.setQueryData(controlsKey(feed), c),
  });
  const filter = controls.infraredFilter;
  return (
    <>
      {(controls.picture ?? []).map((p) => (
        <LevelSlider key={`${p.name}-${p.value}`} level={p} onSet={(value) => set.mutate({ [p.name]: value })} />
      ))}
      {filter && (
        <TextField select size="small" label="Infrared filter" value={filter.mode} onChange={(e) => set.mutate({ infraredFilter: e.target.value as Filter })}>
          {(filter.modes ?? []).map((m) => (
            <MenuItem key={m} value={m}>
              {m.toLowerCase()}
            </MenuItem>
          ))}
        </TextField>
      )}
      {set.isError && <ProblemBox problem={problemOf(set.error)} />}
    </>
  );
}

function LevelSlider({ level, onSet }: { level: Level; onSet: (value: number) => void }) {
  const [value, setValue] = useState(level.value);
  return (
    <Stack direction="row" spacing={2} sx={{ alignItems: "center" }}>
      <Typography variant="body2" sx={{ width: 90, textTransform: "capitalize" }}>
        {level.name}
      </Typography>
      <Slider
        size="small"
        aria-label={level.name}
        value={value}
        min={level.least}
        max={level.most}
        onChange={(_, v) => setValue(v as number)}
        onChangeCommitted={(_, v) => onSet(v as number)}
        valueLabelDisplay="auto"
        sx={{ flex: 1 }}
      />
      <Typography variant="body2" sx={{ width: 32, fontVariantNumeric: "tabular-nums" }}>
        {value}
      </Typography>
    </Stack>
  );
}
