import AddIcon from "@mui/icons-material/Add";
import DeleteOutlineIcon from "@mui/icons-material/DeleteOutlined";
import SendIcon from "@mui/icons-material/SendOutlined";
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type CameraRequest, type Feed } from "../api/client";
import { feedsQuery } from "../api/queries";
import { FormDialog } from "../parts/FormDialog";
import { ProblemBox } from "../parts/ProblemBox";

/** Requests to the camera, each a button. */
export function Requests({ feed }: { feed: Feed }) {
  const [adding, setAdding] = useState(false);
  const list = feed.requests ?? [];
  return (
    <Stack spacing={1.25}>
      {list.length === 0 && (
        <Typography variant="body2" color="textSecondary">
          An HTTP request to the camera, such as one that sets its picture size. It can be sent by hand, and before each connection.
        </Typography>
      )}
      {list.map((q) => (
        <Row key={q.name} feed={feed} request={q} />
      ))}
      <Button startIcon={<AddIcon />} onClick={() => setAdding(true)} sx={{ alignSelf: "start" }}>
        Add a request
      </Button>
      {adding && <RequestDialog feed={feed} onClose={() => setAdding(false)} />}
    </Stack>
  );
}

function Row({ feed, request }: { feed: Feed; request: CameraRequest }) {
  const queries = useQueryClient();
  const params = { path: { name: feed.name, request: request.name } };
  const run = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/feeds/{name}/requests/{request}/run", { params })),
  });
  const remove = useMutation({
    mutationFn: async () => dataOf(await client.DELETE("/api/v1/feeds/{name}/requests/{request}", { params })),
    onSuccess: () => queries.invalidateQueries({ queryKey: feedsQuery.queryKey }),
  });
  const failed = [run, remove].find((m) => m.isError);
  return (
    <Stack spacing={0.5}>
      <Stack direction="row" spacing={0.5} sx={{ alignItems: "center" }}>
        <Button variant="outlined" size="small" startIcon={<SendIcon />} loading={run.isPending} onClick={() => run.mutate()}>
          {request.name}
        </Button>
        <IconButton size="small" aria-label={`Remove ${request.name}`} loading={remove.isPending} onClick={() => remove.mutate()}>
          <DeleteOutlineIcon fontSize="small" />
        </IconButton>
      </Stack>
      <Box>
        <Typography variant="body2" color="textSecondary" sx={{ overflowWrap: "anywhere" }}>
          {request.method} {request.target}
          {request.atConnection && " · sent before each connection"}
        </Typography>
      </Box>
      {run.data && (
        <Alert severity={run.data.status < 400 ? "success" : "warning"} variant="outlined" sx={{ py: 0, overflowWrap: "anywhere" }}>
          {run.data.status} in {Math.round(run.data.milliseconds)} ms: {run.data.text}
        </Alert>
      )}
      {failed && <ProblemBox problem={problemOf(failed.error)} />}
    </Stack>
  );
}

const empty = { name: "", method: "GET", target: "", body: "", atConnection: true };

function RequestDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const queries = useQueryClient();
  const [values, setValues] = useState(empty);
  const put = (part: Partial<typeof empty>) => setValues({ ...values, ...part });
  const add = useMutation({
    mutationFn: async () =>
      dataOf(
        await client.POST("/api/v1/feeds/{name}/requests", {
          params: { path: { name: feed.name } },
          body: { ...values, method: values.method as CameraRequest["method"] },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: feedsQuery.queryKey });
      onClose();
    },
  });
  const problem = add.isError ? problemOf(add.error) : undefined;
  const told = (name: string, hint: string) => ({ error: Boolean(problem?.fields[name]), helperText: problem?.fields[name] ?? hint });
  return (
    <FormDialog title="Add a request to the camera" action="Add" pending={add.isPending} problem={problem} onSubmit={() => add.mutate()} onClose={onClose}>
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        <TextField label="Name" value={values.name} onChange={(e) => put({ name: e.target.value })} required autoFocus {...told("name", "Small letters, digits, hyphens")} />
        <TextField select label="Method" value={values.method} onChange={(e) => put({ method: e.target.value })} sx={{ maxWidth: { sm: 130 } }}>
          {["GET", "POST", "PUT", "DELETE"].map((m) => (
            <MenuItem key={m} value={m}>
              {m}
            </MenuItem>
          ))}
        </TextField>
      </Stack>
      <TextField
        label="Path"
        placeholder="/settings?size=640x360"
        value={values.target}
        onChange={(e) => put({ target: e.target.value })}
        required
        {...told("target", "At the camera. The feed's user and password go with it; do not write them here.")}
      />
      {values.method !== "GET" && <TextField label="Body" multiline minRows={2} value={values.body} onChange={(e) => put({ body: e.target.value })} />}
      <FormControlLabel
        control={<Switch checked={values.atConnection} onChange={(e) => put({ atConnection: e.target.checked })} />}
        label="Send it before each connection, since small cameras forget their settings"
      />
    </FormDialog>
  );
}
