import DeleteOutlineIcon from "@mui/icons-material/DeleteOutlined";
import EditIcon from "@mui/icons-material/EditOutlined";
import PlayArrowIcon from "@mui/icons-material/PlayArrow";
import StopIcon from "@mui/icons-material/Stop";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogContentText from "@mui/material/DialogContentText";
import DialogTitle from "@mui/material/DialogTitle";
import Stack from "@mui/material/Stack";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { client, dataOf, problemOf, type Feed } from "../api/client";
import { feedsQuery } from "../api/queries";
import { ProblemBox } from "../parts/ProblemBox";
import { EditDialog } from "./EditDialog";

export function Actions({ feed }: { feed: Feed }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState<"edit" | "remove" | null>(null);
  const params = { path: { name: feed.name } };
  const change = useMutation({
    mutationFn: async (verb: "start" | "stop") =>
      dataOf(verb === "start" ? await client.POST("/api/v1/feeds/{name}/start", { params }) : await client.POST("/api/v1/feeds/{name}/stop", { params })),
    onSuccess: () => queries.invalidateQueries({ queryKey: feedsQuery.queryKey }),
  });
  const waiting = feed.state !== "live" && feed.state !== "off";
  return (
    <Stack direction="row" spacing={1} useFlexGap sx={{ flexWrap: { xs: "wrap", sm: "nowrap" } }}>
      {change.isError && <ProblemBox problem={problemOf(change.error)} />}
      {feed.state === "off" && (
        <Button variant="contained" startIcon={<PlayArrowIcon />} loading={change.isPending} onClick={() => change.mutate("start")}>
          Start
        </Button>
      )}
      {waiting && (
        <Button variant="outlined" startIcon={<PlayArrowIcon />} loading={change.isPending} onClick={() => change.mutate("start")}>
          {feed.state === "idle" ? "Connect" : "Try now"}
        </Button>
      )}
      {feed.state !== "off" && (
        <Button variant="outlined" startIcon={<StopIcon />} loading={change.isPending} onClick={() => change.mutate("stop")}>
          Stop
        </Button>
      )}
      <Button variant="outlined" startIcon={<EditIcon />} onClick={() => setOpen("edit")}>
        Edit
      </Button>
      <Button variant="outlined" color="error" startIcon={<DeleteOutlineIcon />} onClick={() => setOpen("remove")}>
        Remove
      </Button>
      {open === "edit" && <EditDialog feed={feed} onClose={() => setOpen(null)} />}
      {open === "remove" && <RemoveDialog feed={feed} onClose={() => setOpen(null)} />}
    </Stack>
  );
}

function RemoveDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: async () => dataOf(await client.DELETE("/api/v1/feeds/{name}", { params: { path: { name: feed.name } } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: feedsQuery.queryKey });
      await navigate("/");
    },
  });
  return (
    <Dialog open onClose={onClose}>
      <DialogTitle>Remove “{feed.title}”?</DialogTitle>
      <DialogContent>
        <DialogContentText>Its address and its credentials are forgotten, and whoever watches it now sees it end. What happened to it stays in the events.</DialogContentText>
        {remove.isError && <ProblemBox problem={problemOf(remove.error)} />}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Keep it</Button>
        <Button color="error" variant="contained" loading={remove.isPending} onClick={() => remove.mutate()}>
          Remove
        </Button>
      </DialogActions>
    </Dialog>
  );
}
