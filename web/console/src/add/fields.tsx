import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";

import type { Feed } from "../api/client";

export interface CameraValues {
  url: string;
  user: string;
  password: string;
  transport: Feed["transport"];
  fetch: Feed["fetch"];
  pollSeconds: string;
  fingerprint: string;
}

export const emptyCamera: CameraValues = { url: "", user: "", password: "", transport: "auto", fetch: "auto", pollSeconds: "2", fingerprint: "" };

/** What the API takes of them. */
export function cameraBody(v: CameraValues) {
  return { ...v, pollSeconds: Number(v.pollSeconds) };
}

export interface DeliveryValues {
  name: string;
  title: string;
  public: boolean;
  segmentSeconds: string;
  playlistLength: string;
  audio: Feed["audio"];
  audioHls: Feed["audioHls"];
  audioWebrtc: Feed["audioWebrtc"];
}

export const emptyDelivery: DeliveryValues = {
  name: "",
  title: "",
  public: false,
  segmentSeconds: "2",
  playlistLength: "6",
  audio: "automatic",
  audioHls: "as-feed",
  audioWebrtc: "as-feed",
};

type Fields = Record<string, string> | undefined;

interface FieldsProps<T> {
  values: T;
  onChange: (values: T) => void;
  fields: Fields;
}

function told(fields: Fields, name: string, hint?: string) {
  return { error: Boolean(fields?.[name]), helperText: fields?.[name] ?? hint };
}

export function CameraFields({ values, onChange, fields, kept }: FieldsProps<CameraValues> & { kept?: boolean }) {
  const put = (part: Partial<CameraValues>) => onChange({ ...values, ...part });
  const secret = kept ? "Left empty, the one that is kept stays." : undefined;
  return (
    <>
      <TextField
        label="Camera address"
        placeholder="rtsp://192.0.2.7:554/main or http://192.0.2.7/video"
        value={values.url}
        onChange={(e) => put({ url: e.target.value })}
        required
        autoFocus
        {...told(fields, "url", "rtsp://, rtsps://, http:// or https://, as the camera's manual or settings page has it")}
      />
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        <TextField label="User" value={values.user} onChange={(e) => put({ user: e.target.value })} autoComplete="off" {...told(fields, "user", secret)} />
        <TextField
          label="Password"
          type="password"
          value={values.password}
          onChange={(e) => put({ password: e.target.value })}
          autoComplete="new-password"
          {...told(fields, "password", secret)}
        />
        {!values.url.startsWith("http") && (
          <TextField
            select
            label="Transport"
            value={values.transport}
            onChange={(e) => put({ transport: e.target.value as Feed["transport"] })}
            sx={{ maxWidth: { sm: 150 } }}
          >
            <MenuItem value="auto">auto</MenuItem>
            <MenuItem value="tcp">TCP</MenuItem>
            <MenuItem value="udp">UDP</MenuItem>
          </TextField>
        )}
      </Stack>
      {values.url.startsWith("http") && <FetchFields values={values} onChange={onChange} fields={fields} />}
      {/^(rtsps|https):/.test(values.url) && (
        <TextField
          label="Certificate fingerprint (SHA-256)"
          value={values.fingerprint}
          onChange={(e) => put({ fingerprint: e.target.value })}
          {...told(fields, "fingerprint", "Only for a camera whose certificate nobody has signed")}
        />
      )}
    </>
  );
}

function FetchFields({ values, onChange, fields }: FieldsProps<CameraValues>) {
  const put = (part: Partial<CameraValues>) => onChange({ ...values, ...part });
  return (
    <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
      <TextField
        select
        label="How pictures are got"
        value={values.fetch}
        onChange={(e) => put({ fetch: e.target.value as Feed["fetch"] })}
        {...told(fields, "fetch")}
      >
        <MenuItem value="auto">by what the camera answers</MenuItem>
        <MenuItem value="stream">as a stream (Motion JPEG)</MenuItem>
        <MenuItem value="poll">one at a time</MenuItem>
      </TextField>
      <TextField
        label="Seconds between pictures"
        type="number"
        value={values.pollSeconds}
        onChange={(e) => put({ pollSeconds: e.target.value })}
        slotProps={{ htmlInput: { min: 0.1, max: 3600, step: 0.1 } }}
        {...told(fields, "pollSeconds", "When they are asked for one at a time")}
      />
    </Stack>
  );
}

export interface PictureValues {
  pictureSize: string;
  pictureRate: string;
  pictureQuality: string;
}

/** How Motion JPEG and stills go out when nothing else is asked for. */
export function PictureFields({ values, onChange, fields }: FieldsProps<PictureValues>) {
  const field = (name: keyof PictureValues, label: string, hint: string) => (
    <TextField label={label} value={values[name]} onChange={(e) => onChange({ ...values, [name]: e.target.value })} {...told(fields, name, hint)} />
  );
  return (
    <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
      {field("pictureSize", "Motion JPEG: size", "Such as 640x or 1/2; empty is the camera's")}
      {field("pictureRate", "Frames a second", "At most; empty is all")}
      {field("pictureQuality", "Quality, 1 to 100", "Empty is 80")}
    </Stack>
  );
}

export function DeliveryFields({ values, onChange, fields, nameFixed }: FieldsProps<DeliveryValues> & { nameFixed?: boolean }) {
  const put = (part: Partial<DeliveryValues>) => onChange({ ...values, ...part });
  return (
    <>
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        {!nameFixed && (
          <TextField
            label="Name in addresses"
            value={values.name}
            onChange={(e) => put({ name: e.target.value })}
            required
            {...told(fields, "name", "After the place it shows: small letters, digits, hyphens")}
          />
        )}
        <TextField label="Name for people" value={values.title} onChange={(e) => put({ title: e.target.value })} {...told(fields, "title")} />
      </Stack>
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        <TextField
          label="Segment length, seconds"
          type="number"
          value={values.segmentSeconds}
          onChange={(e) => put({ segmentSeconds: e.target.value })}
          slotProps={{ htmlInput: { min: 0.5, max: 60, step: 0.5 } }}
          {...told(fields, "segmentSeconds", "Cut at the first keyframe after that")}
        />
        <TextField
          label="Segments in the list"
          type="number"
          value={values.playlistLength}
          onChange={(e) => put({ playlistLength: e.target.value })}
          slotProps={{ htmlInput: { min: 3, max: 64 } }}
          {...told(fields, "playlistLength", window(values))}
        />
      </Stack>
      <AudioFields values={values} onChange={onChange} fields={fields} />
      <FormControlLabel
        control={<Switch checked={values.public} onChange={(e) => put({ public: e.target.checked })} />}
        label={values.public ? "Everybody who knows the address may watch" : "Only signed-in people may watch"}
      />
    </>
  );
}

const audioWishes = {
  "as-feed": "as the feed",
  automatic: "automatic",
  on: "always on",
  off: "off",
} as const;

type AudioWish = keyof typeof audioWishes;

/** Whether audio goes out: for the feed, and where a delivery differs from it. */
function AudioFields({ values, onChange, fields }: FieldsProps<DeliveryValues>) {
  const field = (name: "audio" | "audioHls" | "audioWebrtc", label: string, wishes: AudioWish[], hint?: string) => (
    <TextField
      select
      label={label}
      value={values[name]}
      onChange={(e) => onChange({ ...values, [name]: e.target.value as AudioWish })}
      {...told(fields, name, hint)}
    >
      {wishes.map((w) => (
        <MenuItem key={w} value={w}>
          {audioWishes[w]}
        </MenuItem>
      ))}
    </TextField>
  );
  const own: AudioWish[] = ["as-feed", "automatic", "on", "off"];
  return (
    <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
      {field("audio", "Sound", ["automatic", "on", "off"], "Automatic transcodes only while somebody listens")}
      {field("audioHls", "In HLS", own)}
      {field("audioWebrtc", "In WebRTC", own)}
    </Stack>
  );
}

function window(v: DeliveryValues): string {
  const seconds = Number(v.segmentSeconds) * Number(v.playlistLength);
  return seconds > 0 ? `A window of ${seconds} s` : "";
}
