import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type Feed } from "../api/client";
import { FormDialog } from "../parts/FormDialog";

/** A moment as an input of the browser writes it, in its people's time. */
function local(date: Date): string {
  return new Date(date.getTime() - date.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}

const day = 86_400_000;

/** Has a film made of stills, or of what was recorded. */
export function FilmDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const sources = [...feed.stills.map((s) => s.name), "recording"];
  const [source, setSource] = useState(sources[0] ?? "recording");
  const [from, setFrom] = useState(local(new Date(Date.now() - day)));
  const [to, setTo] = useState(local(new Date()));
  const [seconds, setSeconds] = useState("60");
  const [format, setFormat] = useState<"mp4" | "webm">("mp4");
  const [even, setEven] = useState(false);
  const queries = useQueryClient();
  const make = useMutation({
    mutationFn: async () =>
      dataOf(
        await client.POST("/api/v1/feeds/{name}/films", {
          params: { path: { name: feed.name } },
          body: { source, from: new Date(from).toISOString(), to: new Date(to).toISOString(), seconds: Number(seconds || 0), format, even },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["films", feed.name] });
      onClose();
    },
  });
  const time = (label: string, value: string, set: (v: string) => void) => (
    <TextField label={label} type="datetime-local" required value={value} onChange={(e) => set(e.target.value)} slotProps={{ inputLabel: { shrink: true } }} />
  );
  return (
    <FormDialog title="Make a film" action="Make it" pending={make.isPending} problem={make.isError ? problemOf(make.error) : undefined} onSubmit={() => make.mutate()} onClose={onClose}>
      <TextField select label="Of" value={source} onChange={(e) => setSource(e.target.value)}>
        {sources.map((s) => (
          <MenuItem key={s} value={s}>
            {s === "recording" ? "what was recorded (its keyframes)" : `the stills of ${s}`}
          </MenuItem>
        ))}
      </TextField>
      <Stack direction="row" spacing={2}>
        {time("From", from, setFrom)}
        {time("To", to, setTo)}
      </Stack>
      <Stack direction="row" spacing={2}>
        <TextField label="Seconds that it is long" type="number" value={seconds} onChange={(e) => setSeconds(e.target.value)} helperText="Empty shows every picture, 25 a second" slotProps={{ htmlInput: { min: 0, step: "any" } }} />
        <TextField select label="Format" value={format} onChange={(e) => setFormat(e.target.value as "mp4" | "webm")}>
          <MenuItem value="mp4">MP4 (H.264)</MenuItem>
          <MenuItem value="webm">WebM (VP9)</MenuItem>
        </TextField>
      </Stack>
      <FormControlLabel control={<Switch checked={even} onChange={(_, on) => setEven(on)} />} label="Even out brightness that goes up and down" />
    </FormDialog>
  );
}
