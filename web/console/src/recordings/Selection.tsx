import BookmarkAddIcon from "@mui/icons-material/BookmarkAddOutlined";
import BookmarkRemoveIcon from "@mui/icons-material/BookmarkRemoveOutlined";
import DeleteIcon from "@mui/icons-material/DeleteOutlined";
import DownloadIcon from "@mui/icons-material/DownloadOutlined";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { at } from "../api/base";
import { client, dataOf, problemOf } from "../api/client";
import { length, moment, sized } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import type { Marked } from "./Timeline";

/** What can be done with a time that was marked. */
export function Selection({ feed, marked, engineer }: { feed: string; marked: Marked; engineer: boolean }) {
  const [exact, setExact] = useState(true);
  const [sure, setSure] = useState(false);
  const queries = useQueryClient();
  const done = () => queries.invalidateQueries({ queryKey: ["recordings", feed] });
  const span = { from: new Date(marked.from).toISOString(), to: new Date(marked.to).toISOString() };
  const keep = useMutation({
    mutationFn: async (on: boolean) => dataOf(await client.PUT("/api/v1/feeds/{name}/recordings/keep", { params: { path: { name: feed } }, body: { ...span, keep: on } })),
    onSuccess: done,
  });
  const remove = useMutation({
    mutationFn: async () => dataOf(await client.DELETE("/api/v1/feeds/{name}/recordings", { params: { path: { name: feed }, query: span } })),
    onSuccess: done,
  });
  const failed = keep.error ?? remove.error;
  const query = new URLSearchParams({ ...span, cut: exact ? "exact" : "keyframe" });
  return (
    <Stack spacing={1}>
      <Typography variant="body2">
        {moment(span.from)} to {moment(span.to)}, {length((marked.to - marked.from) / 1000)}
      </Typography>
      <Stack direction="row" spacing={1} useFlexGap sx={{ flexWrap: "wrap", alignItems: "center" }}>
        <Button variant="contained" startIcon={<DownloadIcon />} href={at(`/api/v1/feeds/${encodeURIComponent(feed)}/recordings/export?${query}`)} download>
          Download as MP4
        </Button>
        <FormControlLabel control={<Switch size="small" checked={exact} onChange={(_, on) => setExact(on)} />} label="Begin at the moment itself" title="Otherwise with the keyframe before it, which every program shows" />
        {engineer && (
          <>
            <Button startIcon={<BookmarkAddIcon />} loading={keep.isPending} onClick={() => keep.mutate(true)}>
              Keep
            </Button>
            <Button startIcon={<BookmarkRemoveIcon />} loading={keep.isPending} onClick={() => keep.mutate(false)}>
              No longer keep
            </Button>
            <Button color="error" startIcon={<DeleteIcon />} loading={remove.isPending} onClick={() => (sure ? (remove.mutate(), setSure(false)) : setSure(true))}>
              {sure ? "Press again to remove" : "Remove"}
            </Button>
          </>
        )}
      </Stack>
      {keep.data && <Typography variant="body2">{keep.data.files} files marked anew. What is being written now can be marked once its file is finished.</Typography>}
      {remove.data && <Typography variant="body2">{remove.data.files} files removed, {sized(remove.data.bytes ?? 0)}. Files that reach beyond that time stay.</Typography>}
      {failed && <ProblemBox problem={problemOf(failed)} />}
    </Stack>
  );
}
