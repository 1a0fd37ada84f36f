import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import type { CameraValues } from "../add/fields";
import { client, dataOf, problemOf } from "../api/client";
import type { components } from "../api/schema.gen";
import { bits, codecName } from "../look/numbers";
import { FormDialog } from "../parts/FormDialog";
import type { FoundCamera } from "./FoundTable";

type Stream = components["schemas"]["OfferedStream"];

/** Signs in to a camera, and shows what streams it offers. */
export function StreamsDialog({ camera, onClose, onAdd }: { camera: FoundCamera; onClose: () => void; onAdd: (start: Partial<CameraValues>) => void }) {
  const [user, setUser] = useState("");
  const [password, setPassword] = useState("");
  const ask = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/offered-streams", { body: { address: camera.device ?? camera.host, user, password } })),
  });
  const offered = ask.data;
  return (
    <FormDialog
      title={`Streams of ${camera.name || camera.host}`}
      action={offered ? "Ask again" : "Sign in"}
      pending={ask.isPending}
      problem={ask.isError ? problemOf(ask.error) : undefined}
      onSubmit={() => ask.mutate()}
      onClose={onClose}>
      <Stack direction="row" spacing={2}>
        <TextField label="Camera's user" value={user} onChange={(e) => setUser(e.target.value)} autoComplete="off" sx={{ flex: 1 }} />
        <TextField label="Its password" type="password" value={password} onChange={(e) => setPassword(e.target.value)} autoComplete="new-password" sx={{ flex: 1 }} />
      </Stack>
      {offered && (
        <>
          <Typography>{[[offered.maker, offered.model].filter(Boolean).join(" "), offered.firmware && `firmware ${offered.firmware}`].filter(Boolean).join(", ")}</Typography>
          {(offered.streams ?? []).map((s) => (
            <Offer key={s.name} stream={s} onAdd={() => {
                onAdd({ url: s.url ?? "", user, password, deviceUser: user, devicePassword: password, device: offered.device, deviceProfile: s.token, deviceId: offered.id ?? camera.id ?? "" });
                onClose();
              }} />
          ))}
          {(offered.notes ?? []).map((n) => (
            <Typography key={n} variant="body2" color="warning">
              {n}
            </Typography>
          ))}
        </>
      )}
    </FormDialog>
  );
}

function Offer({ stream: s, onAdd }: { stream: Stream; onAdd: () => void }) {
  const facts = [
    `${codecName(s.codec)}${s.profile ? ` ${s.profile}` : ""}`,
    `${s.width} × ${s.height}`,
    s.frameRate ? `${s.frameRate} fps` : "",
    s.bitRate ? bits(s.bitRate) : "",
    s.keyframeSeconds ? `a keyframe every ${s.keyframeSeconds} s` : "",
    s.audio ? `audio ${s.audio}` : "",
  ];
  return (
    <Paper variant="outlined" data-stream={s.name} sx={{ p: 1.5 }}>
      <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
        <Stack sx={{ flex: 1, minWidth: 0 }}>
          <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
            <strong>{s.name}</strong>
            {s.best && <Chip size="small" color="primary" label="Best to watch" />}
            {s.lightest && <Chip size="small" label="Lightest" />}
          </Stack>
          <Typography variant="body2">{facts.filter(Boolean).join(", ")}</Typography>
          <Typography variant="body2" color="textSecondary">
            {s.means}
          </Typography>
        </Stack>
        <Button size="small" variant={s.best ? "contained" : "outlined"} disabled={!s.url || !s.possible} onClick={onAdd}>
          Take it
        </Button>
      </Stack>
    </Paper>
  );
}
