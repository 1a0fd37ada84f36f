import ExpandMoreIcon from "@mui/icons-material/ExpandMore";
import Accordion from "@mui/material/Accordion";
import AccordionDetails from "@mui/material/AccordionDetails";
import AccordionSummary from "@mui/material/AccordionSummary";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";

import { audiences, type Who } from "../access/audiences";
import type { Settings } from "../api/client";

type Transport = Settings["camera"]["transport"];
type Fetch = Settings["camera"]["fetch"];
type Mode = Settings["audio"]["hls"];

export interface CameraValues {
  url: string;
  user: string;
  password: string;
  transport: Transport;
  fetch: Fetch;
  pollSeconds: string;
  answerSeconds: string;
  firstFrameSeconds: number;
  stallSeconds: number;
  fingerprint: string;
  device: string;
  deviceProfile: string;
  /** Credentials of the device: those that it was asked with. */
  deviceUser: string;
  devicePassword: string;
  deviceId: string;
  follow: boolean;
}

export const emptyCamera: CameraValues = {
  url: "",
  user: "",
  password: "",
  transport: "auto",
  fetch: "auto",
  pollSeconds: "2",
  answerSeconds: "5",
  firstFrameSeconds: 10,
  stallSeconds: 5,
  fingerprint: "",
  device: "",
  deviceProfile: "",
  deviceUser: "",
  devicePassword: "",
  deviceId: "",
  follow: false,
};

/** What the API takes of them, but for the credentials. */
export function cameraBody({ user, password: _password, deviceUser, devicePassword, ...v }: CameraValues) {
  const device = deviceUser === user ? {} : { deviceUser, devicePassword }; // the stream's go there, too
  return { ...v, ...device, pollSeconds: Number(v.pollSeconds), answerSeconds: Number(v.answerSeconds) };
}

export interface DeliveryValues {
  name: string;
  title: string;
  tags: string;
  who: Who;
  within: string;
  segmentSeconds: string;
  partSeconds: string;
  playlistLength: string;
  mode: Mode;
  hls: Mode;
  webrtc: Mode;
}

/** What the API takes of them, but for the name. */
export function deliveryBody(v: DeliveryValues) {
  return {
    title: v.title,
    tags: v.tags.split(/[\s,]+/).filter(Boolean),
    audience: { who: v.who },
    delivery: { within: Number(v.within), segmentSeconds: Number(v.segmentSeconds), partSeconds: Number(v.partSeconds), playlistLength: Number(v.playlistLength) },
    audio: { mode: v.mode as Settings["audio"]["mode"], hls: v.hls, webrtc: v.webrtc },
  };
}

export const emptyDelivery: DeliveryValues = {
  name: "",
  title: "",
  tags: "",
  who: "signed-in",
  within: "2",
  segmentSeconds: "",
  partSeconds: "",
  playlistLength: "",
  mode: "automatic",
  hls: "as-feed",
  webrtc: "as-feed",
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
  const secret = kept ? "Left empty, the one that is kept stays; another host needs it again." : undefined;
  return (
    <>
      <TextField
        label="Camera address"
        placeholder="rtsp://192.0.2.7:554/main or http://192.0.2.7/video"
        value={values.url}
        onChange={(e) => put({ url: e.target.value })}
        required
        autoFocus
        {...told(fields, "camera.url", "rtsp://, rtsps://, http:// or https://, as the camera's manual has it; a transport stream comes to udp://0.0.0.0:PORT, or is opened by tcp://")}
      />
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        <TextField label="User" value={values.user} onChange={(e) => put({ user: e.target.value })} autoComplete="off" {...told(fields, "camera.user", secret)} />
        <TextField
          label="Password"
          type="password"
          value={values.password}
          onChange={(e) => put({ password: e.target.value })}
          autoComplete="new-password"
          {...told(fields, "camera.password", secret)}
        />
        {(values.url === "" || values.url.startsWith("rtsp")) && (
          <TextField
            select
            label="Transport"
            value={values.transport}
            onChange={(e) => put({ transport: e.target.value as Transport })}
            sx={{ maxWidth: { sm: 150 } }}
          >
            <MenuItem value="auto">auto</MenuItem>
            <MenuItem value="tcp">TCP</MenuItem>
            <MenuItem value="udp">UDP</MenuItem>
            <MenuItem value="http">through HTTP</MenuItem>
            <MenuItem value="multicast">multicast</MenuItem>
          </TextField>
        )}
      </Stack>
      {values.url.startsWith("http") && <FetchFields values={values} onChange={onChange} fields={fields} />}
      <TextField
        label="Seconds to wait for an answer"
        type="number"
        value={values.answerSeconds}
        onChange={(e) => put({ answerSeconds: e.target.value })}
        slotProps={{ htmlInput: { min: 1, max: 120, step: 1 } }}
        {...told(fields, "camera.answerSeconds", "More for cameras that take their time, up to 120")}
      />
      {/^(rtsps|https):/.test(values.url) && (
        <TextField
          label="Certificate fingerprint (SHA-256)"
          value={values.fingerprint}
          onChange={(e) => put({ fingerprint: e.target.value })}
          {...told(fields, "camera.fingerprint", "Only for a camera whose certificate nobody has signed")}
        />
      )}
      {(values.device || kept) && (
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          <TextField
            label="ONVIF device"
            value={values.device}
            onChange={(e) => put({ device: e.target.value })}
            sx={{ flex: 2 }}
            {...told(fields, "camera.device", "Sets and moves the camera; on the camera's host, or empty")}
          />
          <TextField
            label="Its profile"
            value={values.deviceProfile}
            onChange={(e) => put({ deviceProfile: e.target.value })}
            sx={{ flex: 1 }}
            {...told(fields, "camera.deviceProfile", "Token of what is shown")}
          />
        </Stack>
      )}
      {values.deviceId && (
        <FormControlLabel
          control={<Switch checked={values.follow} onChange={(e) => put({ follow: e.target.checked })} />}
          label="Follow the camera by itself when its address changes: its user and password go to whoever calls himself so"
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
        onChange={(e) => put({ fetch: e.target.value as Fetch })}
        {...told(fields, "camera.fetch")}
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
        {...told(fields, "camera.pollSeconds", "When they are asked for one at a time")}
      />
    </Stack>
  );
}

export interface PictureValues {
  size: string;
  frameRate: string;
  quality: string;
}

/** What the API takes of them. */
export function pictureBody(v: PictureValues) {
  return { size: v.size, frameRate: Number(v.frameRate), quality: Math.round(Number(v.quality)) };
}

/** How Motion JPEG and stills go out when nothing else is asked for. */
export function PictureFields({ values, onChange, fields }: FieldsProps<PictureValues>) {
  const field = (name: keyof PictureValues, label: string, hint: string) => (
    <TextField label={label} value={values[name]} onChange={(e) => onChange({ ...values, [name]: e.target.value })} {...told(fields, `pictures.${name}`, hint)} />
  );
  return (
    <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
      {field("size", "Motion JPEG: size", "Such as 640x or 1/2; empty is the camera's")}
      {field("frameRate", "Frames a second", "At most; empty is all")}
      {field("quality", "Quality, 1 to 100", "Empty is 80")}
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
        <TextField label="Tags" value={values.tags} onChange={(e) => put({ tags: e.target.value })} {...told(fields, "tags", "That it is grouped by, such as outdoors north")} />
      </Stack>
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        <TextField
          select
          label="How far behind the picture may be"
          value={wishes.some((w) => w.value === values.within) ? values.within : "other"}
          onChange={(e) => put({ within: e.target.value === "other" ? "5" : e.target.value })}
          {...told(fields, "delivery.within", "Segments, parts and the way to play follow from it")}
        >
          {wishes.map((w) => (
            <MenuItem key={w.value} value={w.value}>
              {w.label}
            </MenuItem>
          ))}
          <MenuItem value="other">another delay</MenuItem>
        </TextField>
        {!wishes.some((w) => w.value === values.within) && (
          <TextField
            label="Seconds"
            type="number"
            value={values.within}
            onChange={(e) => put({ within: e.target.value })}
            slotProps={{ htmlInput: { min: 0, max: 120, step: 0.1 } }}
          />
        )}
      </Stack>
      <Knobs values={values} onChange={onChange} fields={fields} />
      <AudioFields values={values} onChange={onChange} fields={fields} />
      {!nameFixed && (
        <TextField select label="Who may watch" value={values.who} onChange={(e) => put({ who: e.target.value as Who })} {...told(fields, "audience.who", "Sites, named accounts and links are set afterwards")}>
          {audiences.map((a) => (
            <MenuItem key={a.who} value={a.who}>
              {a.label}
            </MenuItem>
          ))}
        </TextField>
      )}
    </>
  );
}

const wishes = [
  { value: "0.5", label: "half a second" },
  { value: "2", label: "2 seconds" },
  { value: "10", label: "10 seconds" },
  { value: "0", label: "whatever is cheapest" },
];

/** What experts set by hand; empty follows from the delay. */
function Knobs({ values, onChange, fields }: FieldsProps<DeliveryValues>) {
  const knob = (name: "segmentSeconds" | "partSeconds" | "playlistLength", label: string, step: number, hint: string) => (
    <TextField
      label={label}
      type="number"
      value={values[name]}
      onChange={(e) => onChange({ ...values, [name]: e.target.value })}
      slotProps={{ htmlInput: { min: 0, step }, inputLabel: { shrink: true } }}
      placeholder="follows"
      {...told(fields, `delivery.${name}`, hint)}
    />
  );
  const set = values.segmentSeconds !== "" || values.partSeconds !== "" || values.playlistLength !== "";
  return (
    <Accordion variant="outlined" defaultExpanded={set} disableGutters>
      <AccordionSummary expandIcon={<ExpandMoreIcon />}>
        <Typography variant="body2">For experts: lengths by hand</Typography>
      </AccordionSummary>
      <AccordionDetails>
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          {knob("segmentSeconds", "Segment, seconds", 0.5, "Cut at the first keyframe after that")}
          {knob("partSeconds", "Part, seconds", 0.05, "Of low-latency HLS")}
          {knob("playlistLength", "Segments in the playlist", 1, window(values))}
        </Stack>
      </AccordionDetails>
    </Accordion>
  );
}

const audioModes = {
  "as-feed": "as the feed",
  automatic: "automatic",
  on: "always on",
  off: "off",
} as const;

/** Whether audio goes out: for the feed, and where a delivery differs from it. */
function AudioFields({ values, onChange, fields }: FieldsProps<DeliveryValues>) {
  const field = (name: "mode" | "hls" | "webrtc", label: string, modes: Mode[], hint?: string) => (
    <TextField
      select
      label={label}
      value={values[name]}
      onChange={(e) => onChange({ ...values, [name]: e.target.value as Mode })}
      {...told(fields, `audio.${name}`, hint)}
    >
      {modes.map((m) => (
        <MenuItem key={m} value={m}>
          {audioModes[m]}
        </MenuItem>
      ))}
    </TextField>
  );
  const own: Mode[] = ["as-feed", "automatic", "on", "off"];
  return (
    <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
      {field("mode", "Sound", ["automatic", "on", "off"], "Automatic transcodes only while somebody listens")}
      {field("hls", "In HLS", own)}
      {field("webrtc", "In WebRTC", own)}
    </Stack>
  );
}

function window(v: DeliveryValues): string {
  const seconds = Number(v.segmentSeconds) * Number(v.playlistLength);
  return seconds > 0 ? `A window of ${seconds} s` : "";
}
