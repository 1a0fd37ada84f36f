import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { useNavigate } from "react-router";

import { client, dataOf, problemOf } from "../api/client";
import { feedsQuery } from "../api/queries";
import { ProblemBox } from "../parts/ProblemBox";
import { PublishFields, type PublishValues } from "../publish/PublishFields";
import { type CameraValues, CameraFields, DeliveryFields, cameraBody, deliveryBody, emptyCamera, emptyDelivery } from "./fields";
import { nameFrom } from "./names";
import { ReportView } from "./ReportView";

/** What looking into a camera takes. */
function inspectBody({ url, user, password, transport, fetch, fingerprint }: CameraValues, tryPaths: boolean) {
  return { url, user, password, transport, fetch, fingerprint, seconds: 4, tryPaths };
}

type From = "camera" | "publisher";

/** First look into the camera, then name it; start is what is known of the camera. A feed that
 *  somebody sends to has none to look into. */
export function AddDialog({ start, onClose }: { start?: Partial<CameraValues>; onClose: () => void }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [camera, setCamera] = useState({ ...emptyCamera, ...start });
  const [delivery, setDelivery] = useState(emptyDelivery);
  const [from, setFrom] = useState<From>("camera");
  const [publish, setPublish] = useState<PublishValues>({ pushed: true, open: false, takeOver: false });

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
            ...(from === "camera" ? { camera: { ...cameraBody(camera), user: camera.user, password: camera.password } } : { publish }),
          },
        }),
      ),
    onSuccess: async (feed) => {
      await queries.invalidateQueries({ queryKey: feedsQuery.queryKey });
      await navigate(`/feeds/${feed.name}`, { state: { key: feed.publishKey } });
    },
  });
  const failed = [add, look].find((m) => m.isError);
  const problem = failed ? problemOf(failed.error) : undefined;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (look.isSuccess || from === "publisher") add.mutate();
    else look.mutate(false);
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" slotProps={{ paper: { component: "form", onSubmit: submit } }}>
      <DialogTitle>Add a feed</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1 }}>
          <ToggleButtonGroup exclusive fullWidth size="small" color="primary" value={from} onChange={(_, v: From | null) => v && setFrom(v)} aria-label="Where it comes from">
            <ToggleButton value="camera">A camera with an address</ToggleButton>
            <ToggleButton value="publisher">Somebody who sends</ToggleButton>
          </ToggleButtonGroup>
          {from === "publisher" && (
            <>
              <Typography variant="body2" color="textSecondary">
                An encoder, a 360° camera, a phone or a program sends to this feed, by RTMP, RTSP or WebRTC. Its key and the addresses to send to are shown next.
              </Typography>
              <DeliveryFields values={delivery} onChange={setDelivery} fields={problem?.fields} />
              <PublishFields values={publish} onChange={setPublish} />
            </>
          )}
          {from === "camera" && (
            <CameraFields
              values={camera}
              fields={problem?.fields}
              onChange={(v) => {
                setCamera(v);
                look.reset(); // what was found belongs to the address before
              }}
            />
          )}
          {look.isPending && (
            <Stack spacing={1} role="status">
              <Typography color="textSecondary">Looking into the camera: connecting, then reading for 4 s …</Typography>
              <LinearProgress aria-label="Looking into the camera" />
            </Stack>
          )}
          {from === "camera" && look.data && <ReportView report={look.data} />}
          {from === "camera" && look.data && <DeliveryFields values={delivery} onChange={setDelivery} fields={problem?.fields} />}
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
          {look.isSuccess || from === "publisher" ? "Add this feed" : "Look into the camera"}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
