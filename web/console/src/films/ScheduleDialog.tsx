import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useState } from "react";

import { problemOf, type Feed, type FeedChange } from "../api/client";
import { useFeedChange } from "../api/useFeedChange";
import { FormDialog } from "../parts/FormDialog";
import type { StillSchedule } from "./queries";

/** A schedule by which stills are taken, and what film is made of them. */
export function ScheduleDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const [name, setName] = useState("daylight");
  const [when, setWhen] = useState<"every" | "at">("every");
  const [seconds, setSeconds] = useState("60");
  const [at, setAt] = useState("08:00, 12:00, 16:00");
  const [sun, setSun] = useState(false);
  const [place, setPlace] = useState("47.05, 8.30");
  const [text, setText] = useState("");
  const [days, setDays] = useState("");
  const [film, setFilm] = useState<"none" | "hour" | "day">("day");
  const [filmSeconds, setFilmSeconds] = useState("60");
  const [even, setEven] = useState(true);
  const [removes, setRemoves] = useState(false);
  const [show, setShow] = useState(false);
  const save = useFeedChange(feed.name, onClose);
  const schedule = (): StillSchedule => {
    const [latitude, longitude] = place.split(/[ ,;]+/).map(Number);
    return {
      name, text, days: Number(days || 0), show, film, filmSeconds: Number(filmSeconds || 0), filmEven: even, filmRemoves: removes,
      ...(when === "every" ? { seconds: Number(seconds), sun, ...(sun ? { latitude, longitude } : {}) } : { at: at.split(/[ ,;]+/).filter(Boolean) }),
    };
  };
  return (
    <FormDialog title="Take stills" action="Take them" pending={save.isPending} problem={save.isError ? problemOf(save.error) : undefined} onSubmit={() => save.mutate({ stills: [...feed.stills, schedule()] } as FeedChange)} onClose={onClose}>
      <TextField autoFocus required label="Name" value={name} onChange={(e) => setName(e.target.value)} helperText="Small letters, digits and hyphens; part of addresses" />
      <Stack direction="row" spacing={2}>
        <TextField select label="When" value={when} onChange={(e) => setWhen(e.target.value as "every" | "at")}>
          <MenuItem value="every">Every so often</MenuItem>
          <MenuItem value="at">At times of day</MenuItem>
        </TextField>
        {when === "every" ? (
          <TextField label="Seconds" type="number" required value={seconds} onChange={(e) => setSeconds(e.target.value)} slotProps={{ htmlInput: { min: 1, max: 86400, step: "any" } }} />
        ) : (
          <TextField label="Times" required value={at} onChange={(e) => setAt(e.target.value)} />
        )}
      </Stack>
      {when === "every" && (
        <Stack direction="row" spacing={2} sx={{ alignItems: "center" }}>
          <FormControlLabel sx={{ flexShrink: 0 }} control={<Switch checked={sun} onChange={(_, on) => setSun(on)} />} label="Only while the sun is up" />
          {sun && <TextField label="Latitude, longitude" value={place} onChange={(e) => setPlace(e.target.value)} />}
        </Stack>
      )}
      <TextField label="Text on the picture" value={text} onChange={(e) => setText(e.target.value)} placeholder="{place} {date} {time}" slotProps={{ inputLabel: { shrink: true } }} />
      <Stack direction="row" spacing={2}>
        <TextField select label="A film of each" value={film} onChange={(e) => setFilm(e.target.value as "none" | "hour" | "day")}>
          <MenuItem value="none">none</MenuItem>
          <MenuItem value="hour">hour</MenuItem>
          <MenuItem value="day">day</MenuItem>
        </TextField>
        <TextField label="Seconds that it is long" type="number" value={filmSeconds} onChange={(e) => setFilmSeconds(e.target.value)} slotProps={{ htmlInput: { min: 0, step: "any" } }} />
        <TextField label="Days that stills are kept" type="number" value={days} onChange={(e) => setDays(e.target.value)} slotProps={{ htmlInput: { min: 0, step: "any" } }} />
      </Stack>
      {film !== "none" && <FormControlLabel control={<Switch checked={even} onChange={(_, on) => setEven(on)} />} label="Even out brightness that goes up and down" />}
      {film !== "none" && <FormControlLabel control={<Switch checked={removes} onChange={(_, on) => setRemoves(on)} />} label="Remove the stills once the film is made" />}
      <FormControlLabel control={<Switch checked={show} onChange={(_, on) => setShow(on)} />} label="Everybody who may watch the feed sees them and their films" />
    </FormDialog>
  );
}
