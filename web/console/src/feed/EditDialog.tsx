import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Stack from "@mui/material/Stack";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { client, dataOf, problemOf, type Feed, type FeedChange } from "../api/client";
import { feedsQuery } from "../api/queries";
import { CameraFields, DeliveryFields, PictureFields, emptyCamera, type CameraValues, type DeliveryValues, type PictureValues } from "../add/fields";
import { ProblemBox } from "../parts/ProblemBox";

/** Credentials are never shown again: left empty, they stay. */
function changes(feed: Feed, camera: CameraValues, delivery: DeliveryValues, pictures: PictureValues): FeedChange {
  const change: FeedChange = {
    title: delivery.title,
    url: camera.url,
    transport: camera.transport,
    fetch: camera.fetch,
    pollSeconds: Number(camera.pollSeconds),
    fingerprint: camera.fingerprint,
    segmentSeconds: Number(delivery.segmentSeconds),
    playlistLength: Number(delivery.playlistLength),
    public: delivery.public,
    audio: delivery.audio,
    audioHls: delivery.audioHls,
    audioWebrtc: delivery.audioWebrtc,
    pictureSize: pictures.pictureSize,
    pictureRate: Number(pictures.pictureRate),
    pictureQuality: Math.round(Number(pictures.pictureQuality)),
  };
  if (camera.user || !feed.credentials) {
    change.user = camera.user;
    change.password = camera.password;
  } else if (camera.password) change.password = camera.password;
  return change;
}

export function EditDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const queries = useQueryClient();
  const [camera, setCamera] = useState<CameraValues>({
    ...emptyCamera,
    url: feed.url,
    transport: feed.transport,
    fetch: feed.fetch,
    pollSeconds: String(feed.pollSeconds),
    fingerprint: feed.fingerprint ?? "",
  });
  const [delivery, setDelivery] = useState<DeliveryValues>({
    name: feed.name,
    title: feed.title,
    public: feed.public,
    segmentSeconds: String(feed.segmentSeconds),
    playlistLength: String(feed.playlistLength),
    audio: feed.audio,
    audioHls: feed.audioHls,
    audioWebrtc: feed.audioWebrtc,
  });
  const [pictures, setPictures] = useState<PictureValues>({
    pictureSize: feed.pictureSize,
    pictureRate: feed.pictureRate ? String(feed.pictureRate) : "",
    pictureQuality: feed.pictureQuality ? String(feed.pictureQuality) : "",
  });
  const save = useMutation({
    mutationFn: async () =>
      dataOf(await client.PATCH("/api/v1/feeds/{name}", { params: { path: { name: feed.name } }, body: changes(feed, camera, delivery, pictures) })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: feedsQuery.queryKey });
      onClose();
    },
  });
  const problem = save.isError ? problemOf(save.error) : undefined;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate();
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" slotProps={{ paper: { component: "form", onSubmit: submit } }}>
      <DialogTitle>Edit “{feed.title}”</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1 }}>
          <CameraFields values={camera} onChange={setCamera} fields={problem?.fields} kept={feed.credentials} />
          <DeliveryFields values={delivery} onChange={setDelivery} fields={problem?.fields} nameFixed />
          <PictureFields values={pictures} onChange={setPictures} fields={problem?.fields} />
          {problem && <ProblemBox problem={problem} />}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button type="submit" variant="contained" loading={save.isPending}>
          Save
        </Button>
      </DialogActions>
    </Dialog>
  );
}
