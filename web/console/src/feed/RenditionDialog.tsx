import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type Feed, type Rendition, type NewRendition } from "../api/client";
import { feedsQuery } from "../api/queries";
import { FormDialog } from "../parts/FormDialog";

type Values = Required<Record<keyof NewRendition, string>>;

function valuesOf(r: Rendition | undefined): Values {
  const number = (v: number | undefined, factor = 1) => (v ? String(v / factor) : "");
  return {
    name: r?.name ?? "",
    codec: r?.codec ?? "H264",
    size: r?.size ?? "",
    frameRate: number(r?.frameRate),
    bitRate: number(r?.bitRate, kilo),
    keyframeSeconds: number(r?.keyframeSeconds),
    profile: r?.profile || "baseline",
    quality: number(r?.quality),
    text: r?.text ?? "",
    textCorner: r?.textCorner || "bottom-left",
    textSize: number(r?.textSize),
    view: r?.view ?? "",
  };
}

const kilo = 1000;

function bodyOf(v: Values) {
  const h264 = v.codec === "H264";
  return {
    size: v.size,
    frameRate: Number(v.frameRate),
    text: v.text,
    textCorner: v.textCorner as NewRendition["textCorner"],
    textSize: Number(v.textSize),
    view: v.view,
    ...(h264
      ? { bitRate: Math.round(Number(v.bitRate) * kilo), keyframeSeconds: Number(v.keyframeSeconds), profile: v.profile as NewRendition["profile"] }
      : { quality: Number(v.quality) }),
  };
}

interface RenditionDialogProps {
  feed: Feed;
  rendition: Rendition | undefined;
  onClose: () => void;
}

/** Adds a rendition, or changes one. */
export function RenditionDialog({ feed, rendition, onClose }: RenditionDialogProps) {
  const queries = useQueryClient();
  const [values, setValues] = useState(() => valuesOf(rendition));
  const save = useMutation({
    mutationFn: async () => {
      const path = { name: feed.name };
      if (rendition) {
        return dataOf(
          await client.PATCH("/api/v1/feeds/{name}/renditions/{rendition}", { params: { path: { ...path, rendition: rendition.name } }, body: bodyOf(values) }),
        );
      }
      const body = { ...bodyOf(values), name: values.name, codec: values.codec as NewRendition["codec"] };
      return dataOf(await client.POST("/api/v1/feeds/{name}/renditions", { params: { path }, body }));
    },
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: feedsQuery.queryKey });
      onClose();
    },
  });
  const problem = save.isError ? problemOf(save.error) : undefined;
  return (
    <FormDialog title={rendition ? `Edit “${rendition.name}”` : "Add a rendition"} action={rendition ? "Save" : "Add"} pending={save.isPending} problem={problem} onSubmit={() => save.mutate()} onClose={onClose}>
      <RenditionFields values={values} onChange={setValues} fields={problem?.fields ?? {}} isNew={!rendition} flat={feed.lens.projection === "flat"} />
    </FormDialog>
  );
}

interface FieldsProps {
  values: Values;
  onChange: (values: Values) => void;
  fields: Record<string, string>;
  isNew: boolean;
  flat: boolean;
}

function RenditionFields({ values, onChange, fields, isNew, flat }: FieldsProps) {
  const field = (name: keyof Values, label: string, hint?: string) => ({
    label,
    value: values[name],
    onChange: (e: { target: { value: string } }) => onChange({ ...values, [name]: e.target.value }),
    error: Boolean(fields[name]),
    helperText: fields[name] ?? hint,
  });
  return (
    <>
      {isNew && (
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          <TextField {...field("name", "Name in addresses", "Small letters, digits, hyphens")} required autoFocus />
          <TextField {...field("codec", "Codec")} select>
            <MenuItem value="H264">H.264, for HLS</MenuItem>
            <MenuItem value="JPEG">JPEG, for Motion JPEG</MenuItem>
          </TextField>
        </Stack>
      )}
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        <TextField {...field("size", "Size", "640x360, 640x, x360, 1/2 or 50%; empty is the camera's")} />
        <TextField {...field("frameRate", "Frames a second at most", "Empty is all")} />
      </Stack>
      {values.codec === "H264" ? <VideoFields field={field} /> : <TextField {...field("quality", "Quality, 1 to 100", "Empty is 80")} />}
      {!flat && <TextField {...field("view", "Flat view: pan, tilt, field of view", "Degrees, such as 90,-10,80; empty is all of the picture")} />}
      <TextField {...field("text", "Text on the picture", "{date}, {time} and {place} stand for what they say")} />
      {values.text && (
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          <TextField {...field("textCorner", "Corner")} select>
            {["top-left", "top-right", "bottom-left", "bottom-right"].map((c) => (
              <MenuItem key={c} value={c}>
                {c.replace("-", " ")}
              </MenuItem>
            ))}
          </TextField>
          <TextField {...field("textSize", "Height, hundredths of the picture's", "Empty is 5")} />
        </Stack>
      )}
    </>
  );
}

type Field = (name: keyof Values, label: string, hint?: string) => object;

function VideoFields({ field }: { field: Field }) {
  return (
    <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
      <TextField {...field("bitRate", "kbit/s", "Empty is what suits")} />
      <TextField {...field("keyframeSeconds", "Keyframe every … s", "Empty is each segment")} />
      <TextField {...field("profile", "Profile")} select>
        <MenuItem value="baseline">baseline</MenuItem>
        <MenuItem value="main">main</MenuItem>
      </TextField>
    </Stack>
  );
}
