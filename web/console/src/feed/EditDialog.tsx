import { useState } from "react";

import { problemOf, type Feed, type FeedChange } from "../api/client";
import { useFeedChange } from "../api/useFeedChange";
import { FormDialog } from "../parts/FormDialog";
import { MoreFields, moreBody, moreOf, type MoreValues } from "../add/MoreFields";
import { PublishFields, type PublishValues } from "../publish/PublishFields";
import { CameraFields, DeliveryFields, PictureFields, cameraBody, deliveryBody, emptyCamera, pictureBody, type CameraValues, type DeliveryValues, type PictureValues } from "../add/fields";

/** Credentials are never shown again: left empty, they stay. */
function changes(feed: Feed, camera: CameraValues, delivery: DeliveryValues, pictures: PictureValues, publish: PublishValues, more: MoreValues, made: boolean): FeedChange {
  const { user, password } = camera;
  let credentials = {};
  if (user || !feed.credentials) credentials = { user, password };
  else if (password) credentials = { password };
  const { audience: _audience, ...rest } = deliveryBody(delivery); // it has a dialog of its own
  if (made) return { ...rest, ...moreBody(more), pictures: pictureBody(pictures) };
  if (publish.pushed) return { ...rest, ...moreBody(more), publish, pictures: pictureBody(pictures) };
  return { ...rest, ...moreBody(more), camera: { ...cameraBody(camera), ...credentials }, pictures: pictureBody(pictures) };
}

export function EditDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const [camera, setCamera] = useState<CameraValues>({
    ...emptyCamera,
    ...feed.camera,
    pollSeconds: String(feed.camera.pollSeconds),
    answerSeconds: String(feed.camera.answerSeconds),
  });
  const [delivery, setDelivery] = useState<DeliveryValues>({
    ...feed.audio,
    name: feed.name,
    title: feed.title,
    tags: feed.tags.join(" "),
    who: feed.audience.who,
    within: String(feed.delivery.within),
    segmentSeconds: shown(feed.delivery.segmentSeconds),
    partSeconds: shown(feed.delivery.partSeconds),
    playlistLength: shown(feed.delivery.playlistLength),
  });
  const [pictures, setPictures] = useState<PictureValues>({
    size: feed.pictures.size,
    frameRate: feed.pictures.frameRate ? String(feed.pictures.frameRate) : "",
    quality: feed.pictures.quality ? String(feed.pictures.quality) : "",
  });
  const [more, setMore] = useState(() => moreOf(feed));
  const made = feed.combined.kind !== "none"; // of other feeds: there is no camera
  const [publish, setPublish] = useState<PublishValues>(feed.publish);
  const save = useFeedChange(feed.name, onClose);
  const problem = save.isError ? problemOf(save.error) : undefined;
  return (
    <FormDialog title={`Edit “${feed.title}”`} action="Save" pending={save.isPending} problem={problem} onSubmit={() => save.mutate(changes(feed, camera, delivery, pictures, publish, more, made))} onClose={onClose}>
      {made ? null : publish.pushed ? (
        <PublishFields values={publish} onChange={setPublish} />
      ) : (
        <CameraFields values={camera} onChange={setCamera} fields={problem?.fields} kept={feed.credentials} />
      )}
      <DeliveryFields values={delivery} onChange={setDelivery} fields={problem?.fields} nameFixed />
      <PictureFields values={pictures} onChange={setPictures} fields={problem?.fields} />
      <MoreFields connects={!publish.pushed} values={more} onChange={setMore} fields={problem?.fields} />
    </FormDialog>
  );
}

/** A length that is set by hand; empty for one that follows. */
function shown(value: number): string {
  return value > 0 ? String(value) : "";
}
