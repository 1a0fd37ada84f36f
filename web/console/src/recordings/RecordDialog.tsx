import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useState } from "react";

import { problemOf, type Feed, type FeedChange } from "../api/client";
import { useFeedChange } from "../api/useFeedChange";
import { FormDialog } from "../parts/FormDialog";
import { MotionFields } from "./MotionFields";

const gigabyte = 1e9;
const modes = [
  { value: "hand", label: "Only when somebody says so" },
  { value: "always", label: "Always" },
  { value: "timetable", label: "By a timetable" },
  { value: "motion", label: "When something moves" },
];

/** When a feed is recorded, how long that is kept, and who sees it. */
export function RecordDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const r = feed.recording;
  const text = (n: number | undefined) => (n ? String(n) : "");
  const [mode, setMode] = useState<string>(r.mode ?? "hand");
  const [timetable, setTimetable] = useState(r.timetable ?? "mon-fri 07:00-19:00");
  const [days, setDays] = useState(text(r.days));
  const [gigabytes, setGigabytes] = useState(text((r.bytes ?? 0) / gigabyte));
  const [before, setBefore] = useState(text(r.beforeSeconds));
  const [after, setAfter] = useState(text(r.afterSeconds));
  const [threshold, setThreshold] = useState(r.thresholdPercent || 1);
  const [mask, setMask] = useState(r.mask ?? "");
  const [goBack, setGoBack] = useState(r.goBack ?? false);
  const save = useFeedChange(feed.name, onClose);
  const change = () =>
    ({
      recording: {
        mode, timetable: mode === "timetable" ? timetable : "", days: Number(days || 0), bytes: Math.round(Number(gigabytes || 0) * gigabyte),
        beforeSeconds: Number(before || 0), afterSeconds: Number(after || 0), thresholdPercent: threshold, mask, goBack,
      },
    }) as FeedChange;
  const number = (label: string, value: string, set: (v: string) => void, standard: string) => (
    <TextField label={label} type="number" value={value} placeholder={standard} onChange={(e) => set(e.target.value)} slotProps={{ htmlInput: { min: 0, step: "any" }, inputLabel: { shrink: true } }} />
  );
  return (
    <FormDialog title="When it is recorded" action="Save" pending={save.isPending} problem={save.isError ? problemOf(save.error) : undefined} onSubmit={() => save.mutate(change())} onClose={onClose}>
      <TextField select label="Recorded" value={mode} onChange={(e) => setMode(e.target.value)}>
        {modes.map((m) => (
          <MenuItem key={m.value} value={m.value}>
            {m.label}
          </MenuItem>
        ))}
      </TextField>
      {mode === "timetable" && <TextField label="Times" value={timetable} onChange={(e) => setTimetable(e.target.value)} helperText="Such as mon-fri 07:00-19:00, sat 08:00-12:00; in the service's time zone" />}
      {mode === "motion" && (
        <>
          <MotionFields feed={feed.name} threshold={threshold} mask={mask} onThreshold={setThreshold} onMask={setMask} />
          <Stack direction="row" spacing={2}>
            {number("Seconds before", before, setBefore, "3")}
            {number("Seconds after", after, setAfter, "10")}
          </Stack>
        </>
      )}
      <Stack direction="row" spacing={2}>
        {number("Days that it is kept", days, setDays, "as long as there is room")}
        {number("Gigabytes at most", gigabytes, setGigabytes, "as much as there is room for")}
      </Stack>
      <FormControlLabel control={<Switch checked={goBack} onChange={(_, on) => setGoBack(on)} />} label="Everybody who may watch it may go back in time" />
    </FormDialog>
  );
}
