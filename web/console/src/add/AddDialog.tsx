import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { useNavigate } from "react-router";

import { client, dataOf, problemOf } from "../api/client";
import { feedsQuery } from "../api/queries";
import { ProblemBox } from "../parts/ProblemBox";
import { type CameraValues, CameraFields, DeliveryFields, cameraBody, deliveryBody, emptyCamera, emptyDelivery } from "./fields";
import { nameFrom } from "./names";
import { ReportView } from "./ReportView";

/** What looking into a camera takes. */
function inspectBody({ url, user, password, transport, fetch, fingerprint }: CameraValues, tryPaths: boolean) {
  return { url, user, password, transport, fetch, fingerprint, seconds: 4, tryPaths };
}

/** First look into the camera, then name it; start is what is known of the camera. */
export function AddDialog({ start, onClose }: { start?: Partial<CameraValues>; onClose: () => void }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [camera, setCamera] = useState({ ...emptyCamera, ...start });
  const [delivery, setDelivery] = useState(emptyDelivery);

  const look = useMutation({
    mutationFn: async (tryPaths: boolean) => dataOf(await client.POST("/api/v1/inspect", { body: inspectBody(camera, tryPaths) })),
    onSuccess: (report, tryPaths) => {
      const url = tryPaths ? report.url : camera.url;
      setCamera({ ...camera, url });
      setDelivery((d) => (d.name ? d : { ...d, name: nameFrom(url) }));
    },
  });
  const add = useMutation({
    mutationFn: async () =>
      dataOf(
        await client.POST("/api/v1/feeds", {
          body: {
            ...deliveryBody(delivery),
            name: delivery.name,
            camera: { ...cameraBody(camera), user: camera.user, password: camera.password },
          },
        }),
      ),
    onSuccess: async (feed) => {
      await queries.invalidateQueries({ queryKey: feedsQuery.queryKey });
      await navigate(`/feeds/${feed.name}`);
    },
  });
  const failed = [add, look].find((m) => m.isError);
  const problem = failed ? problemOf(failed.error) : undefined;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (look.isSuccess) add.mutate();
    else look.mutate(false);
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" slotProps={{ paper: { component: "form", onSubmit: submit } }}>
      <DialogTitle>Add a feed</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1 }}>
          <CameraFields
            values={camera}
            fields={problem?.fields}
            onChange={(v) => {
              setCamera(v);
              look.reset(); // what was found belongs to the address before
            }}
          />
          {look.isPending && (
            <Stack spacing={1} role="status">
              <Typography color="textSecondary">Looking into the camera: connecting, then reading for 4 s …</Typography>
              <LinearProgress aria-label="Looking into the camera" />
            </Stack>
          )}
          {look.data && <ReportView report={look.data} />}
          {look.data && <DeliveryFields values={delivery} onChange={setDelivery} fields={problem?.fields} />}
          {problem && <ProblemBox problem={problem} />}
          {problem?.code === "camera-path-unknown" && (
            <Button onClick={() => look.mutate(true)} sx={{ alignSelf: "start" }}>
              Try usual paths
            </Button>
          )}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button type="submit" variant="contained" loading={look.isPending || add.isPending}>
          {look.isSuccess ? "Add this feed" : "Look into the camera"}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
