import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";

import type { Feed, FeedLink } from "../api/client";
import { labelOf } from "../access/audiences";
import type { EmbedValues } from "./options";

interface EmbedFieldsProps {
  feed: Feed;
  links: FeedLink[];
  values: EmbedValues;
  onChange: (values: EmbedValues) => void;
  /** Makes a link for the page; left out for those who may not. */
  onMakeLink?: () => void;
}

const makeOne = "\n"; // no link has such a name

/** How a feed goes into a page. */
export function EmbedFields({ feed, links, values, onChange, onMakeLink }: EmbedFieldsProps) {
  const choice = (name: keyof EmbedValues, label: string, options: readonly (readonly [string, string])[], hint?: string) => (
    <TextField
      select
      label={label}
      value={values[name]}
      onChange={(e) => (e.target.value === makeOne ? onMakeLink?.() : onChange({ ...values, [name]: e.target.value }))}
      helperText={hint}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
    >
      {options.map(([value, text]) => (
        <MenuItem key={value} value={value}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
  const usable = links.filter((l) => l.text && !l.over);
  const renditions = (feed.renditions ?? []).filter((r) => r.codec === "H264" && !r.automatic);
  const audience: (readonly [string, string])[] = [["", `${labelOf(feed.audience.who)}, as the feed says`] as const, ...usable.map((l) => [l.name, `Whoever sees the page, by link “${l.name}”`] as const)];
  if (onMakeLink) audience.push([makeOne, "Whoever sees the page: make a link …"]);
  return (
    <>
      {choice("link", "Who may watch", audience, feed.audience.who === "everyone" || values.link ? undefined : "In pages of other sites nobody is signed in: a link is needed")}
      <Stack direction="row" spacing={2}>
        {choice("prefer", "Delay or method", [
          ["", "plays everywhere (HLS)"],
          ["delay", "least delay (WebRTC)"],
          ["within", "so many seconds behind"],
          ["simple", "simplest (Motion JPEG)"],
        ])}
        {values.prefer === "within" && (
          <TextField label="Seconds" type="number" value={values.within} onChange={(e) => onChange({ ...values, within: e.target.value })} slotProps={{ htmlInput: { min: 0, step: 0.5 } }} sx={{ maxWidth: 110 }} />
        )}
      </Stack>
      {renditions.length > 0 && choice("rendition", "Rendition", [["", "what suits the feed"], ...renditions.map((r) => [r.name, r.name] as const)])}
      <Stack direction="row" spacing={2}>
        {choice("size", "Size", [
          ["", "as wide as its place"],
          ["320x180", "320 × 180"],
          ["640x360", "640 × 360"],
          ["960x540", "960 × 540"],
        ])}
        {choice("start", "Starts", [
          ["", "at once"],
          ["visible", "when it is seen"],
          ["press", "when it is pressed"],
        ])}
      </Stack>
      <Stack direction="row" spacing={1}>
        <FormControlLabel control={<Switch size="small" checked={values.controls} onChange={(_, on) => onChange({ ...values, controls: on })} />} label="Controls" />
        <FormControlLabel control={<Switch size="small" checked={values.audio} onChange={(_, on) => onChange({ ...values, audio: on })} />} label="Starts with sound" />
      </Stack>
    </>
  );
}
