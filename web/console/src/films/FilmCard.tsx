import DeleteIcon from "@mui/icons-material/DeleteOutlined";
import DownloadIcon from "@mui/icons-material/DownloadOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";

import { at } from "../api/base";
import { client, dataOf } from "../api/client";
import { sized } from "../look/numbers";
import { CopyLine } from "../parts/CopyLine";
import type { Film, FilmJob } from "./queries";

const day = 86_400_000;

/** What a film shows, in words. */
function spanText(film: { from: string; to: string }): string {
  const from = new Date(film.from);
  const to = new Date(film.to);
  const date = from.toLocaleDateString(undefined, { weekday: "short", day: "numeric", month: "short" });
  if (Math.abs(to.getTime() - from.getTime() - day) < day / 20) return date;
  const time = (d: Date) => d.toLocaleTimeString(undefined, { hour: "2-digit", minute: "2-digit" });
  return `${date}, ${time(from)} to ${time(to)}`;
}

export function FilmCard({ feed, film, engineer, large }: { feed: string; film: Film; engineer: boolean; large: boolean }) {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: async () => dataOf(await client.DELETE("/api/v1/feeds/{name}/films/{source}/{file}", { params: { path: { name: feed, source: film.source, file: film.name } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["films", feed] }),
  });
  return (
    <Box sx={large ? { gridColumn: { md: "span 2" }, gridRow: { md: "span 2" } } : undefined}>
      <Box component="video" controls muted loop playsInline preload={large ? "auto" : "metadata"} autoPlay={large} src={at(film.address)} aria-label={`Film of ${spanText(film)}`} sx={{ display: "block", width: "100%", aspectRatio: "16/9", bgcolor: "#0c1214", borderRadius: 1 }} />
      <Stack direction="row" spacing={1} sx={{ alignItems: "center", mt: 0.5 }}>
        <Box sx={{ flex: 1 }}>
          <Typography variant="body2">{spanText(film)}</Typography>
          <Typography variant="caption" color="textSecondary">
            {film.source === "recording" ? "of what was recorded" : `of ${film.source}`}, {film.format === "webm" ? "WebM" : "MP4"}, {sized(film.bytes)}
          </Typography>
        </Box>
        <IconButton component="a" href={at(film.address)} download={film.name} aria-label="Download">
          <DownloadIcon />
        </IconButton>
        {engineer && (
          <IconButton aria-label="Remove" loading={remove.isPending} onClick={() => remove.mutate()}>
            <DeleteIcon />
          </IconButton>
        )}
      </Stack>
      {large && <CopyLine label="The newest always has this address" text={new URL(at(film.latest), location.href).href} />}
    </Box>
  );
}

/** A film in the making, or that could not be made. */
export function JobLine({ feed, job }: { feed: string; job: FilmJob }) {
  const queries = useQueryClient();
  const cancel = useMutation({
    mutationFn: async () => dataOf(await client.DELETE("/api/v1/feeds/{name}/film-jobs/{id}", { params: { path: { name: feed, id: job.id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["films", feed] }),
  });
  if (job.problem) {
    return (
      <Typography variant="body2" color="error.main">
        The film of {spanText(job)} was not made: {job.problem} {job.remedy}
      </Typography>
    );
  }
  return (
    <Stack direction="row" spacing={2} sx={{ alignItems: "center" }}>
      <Typography variant="body2" sx={{ whiteSpace: "nowrap" }}>
        {job.all === 0 ? "A film waits" : `A film is being made: ${job.done} of ${job.all} pictures`}
      </Typography>
      <LinearProgress aria-label="Progress" sx={{ flex: 1 }} variant={job.all === 0 ? "indeterminate" : "determinate"} value={job.all ? (100 * job.done) / job.all : 0} />
      <Button size="small" loading={cancel.isPending} onClick={() => cancel.mutate()}>
        End
      </Button>
    </Stack>
  );
}
