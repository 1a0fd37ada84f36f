import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import Skeleton from "@mui/material/Skeleton";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useSearchParams } from "react-router";

import { problemOf } from "../api/client";
import { ProblemBox } from "../parts/ProblemBox";
import { Line, Lines } from "./EventList";
import { filteredEvents } from "./queries";

const kinds = ["state", "change", "warning", "alert", "sign-in", "service", "transcode", "request", "search", "motion"];

/** What happened: searched, filtered, repeated ones as one, older ones by scrolling. */
export function EventsPage() {
  const [params, setParams] = useSearchParams();
  const set = (name: string, value: string) =>
    setParams(
      (p) => {
        if (value) p.set(name, value);
        else p.delete(name);
        return p;
      },
      { replace: true },
    );
  const fold = params.get("each") === null;
  const events = useInfiniteQuery(filteredEvents(params, fold));
  const list = events.data?.pages.flatMap((p) => p.events ?? []) ?? [];
  const end = useRef<HTMLDivElement>(null);
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = events;
  useEffect(() => {
    const mark = end.current;
    if (!mark || !hasNextPage) return;
    const watch = new IntersectionObserver((seen) => {
      if (seen.some((s) => s.isIntersecting) && !isFetchingNextPage) void fetchNextPage();
    });
    watch.observe(mark);
    return () => watch.disconnect();
  }, [hasNextPage, isFetchingNextPage, fetchNextPage]);
  return (
    <Stack spacing={2.5}>
      <Typography variant="h1">Events</Typography>
      <Stack direction={{ xs: "column", md: "row" }} spacing={1.5} useFlexGap sx={{ flexWrap: "wrap", alignItems: { md: "center" } }}>
        <TextField fullWidth={false} size="small" label="Search" value={params.get("search") ?? ""} onChange={(e) => set("search", e.target.value)} sx={{ flex: "1 1 12rem" }} />
        <TextField select fullWidth={false} size="small" label="Matters" value={params.get("severity") ?? ""} onChange={(e) => set("severity", e.target.value)} sx={{ minWidth: 150 }}>
          <MenuItem value="">All of it</MenuItem>
          <MenuItem value="warning">Warnings and above</MenuItem>
          <MenuItem value="serious">Needs somebody</MenuItem>
        </TextField>
        <TextField select fullWidth={false} size="small" label="Kind" value={params.get("kind") ?? ""} onChange={(e) => set("kind", e.target.value)} sx={{ minWidth: 120 }}>
          <MenuItem value="">All</MenuItem>
          {kinds.map((k) => (
            <MenuItem key={k} value={k}>
              {k}
            </MenuItem>
          ))}
        </TextField>
        <TextField fullWidth={false} size="small" label="Feed" value={params.get("feed") ?? ""} onChange={(e) => set("feed", e.target.value.trim())} sx={{ width: 150 }} />
        <TextField fullWidth={false} size="small" label="Who" value={params.get("by") ?? ""} onChange={(e) => set("by", e.target.value.trim())} sx={{ width: 110 }} />
        <TextField fullWidth={false} size="small" type="datetime-local" label="Since" value={params.get("since") ?? ""} onChange={(e) => set("since", e.target.value)} slotProps={{ inputLabel: { shrink: true } }} />
        <FormControlLabel control={<Switch size="small" checked={fold} onChange={(_, on) => set("each", on ? "" : "1")} />} label="Repeated as one" />
        {params.size > 0 && <Button onClick={() => setParams({}, { replace: true })}>Show all</Button>}
      </Stack>
      {events.isError && <ProblemBox problem={problemOf(events.error)} />}
      <Paper sx={{ px: 2.5, py: 1.5 }}>
        {events.isPending && <Skeleton height={80} />}
        {events.isSuccess && list.length === 0 && <Typography color="textSecondary">There is nothing that fits.</Typography>}
        <Lines>
          {list.map((e) => (
            <Line key={e.id} event={e} withFeed />
          ))}
        </Lines>
        <div ref={end}>{isFetchingNextPage && <Skeleton height={40} />}</div>
      </Paper>
    </Stack>
  );
}
