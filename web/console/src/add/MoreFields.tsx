import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";

import type { Feed, FeedChange } from "../api/client";

export interface MoreValues {
  whileNeeded: boolean;
  projection: string;
  fieldOfView: string;
  to: string;
  user: string;
  password: string;
}

export function moreOf(feed: Feed): MoreValues {
  const { lens, outlet } = feed;
  return { whileNeeded: feed.whileNeeded ?? false, projection: lens.projection ?? "flat", fieldOfView: lens.fieldOfView ? String(lens.fieldOfView) : "", to: outlet.to ?? "", user: outlet.user ?? "", password: "" };
}

/** What changes; a password that is left empty stays. */
export function moreBody(v: MoreValues): FeedChange {
  return {
    whileNeeded: v.whileNeeded,
    lens: { projection: v.projection as "flat", fieldOfView: v.projection === "fisheye" ? Number(v.fieldOfView || 0) : 0 },
    outlet: { to: v.to, user: v.user, ...(v.password ? { password: v.password } : {}) },
  } as FeedChange;
}

const projections = [
  { value: "flat", label: "flat" },
  { value: "equirectangular", label: "all around (equirectangular)" },
  { value: "top-bottom", label: "all around, for two eyes (top and bottom)" },
  { value: "fisheye", label: "fisheye" },
];

/** How the picture is projected, and where its files are put besides. */
export function MoreFields({ values, onChange, fields, connects = true }: { connects?: boolean; values: MoreValues; onChange: (v: MoreValues) => void; fields: Record<string, string> | undefined }) {
  const field = (name: Exclude<keyof MoreValues, "whileNeeded">, path: string, label: string, hint?: string) => ({
    label,
    value: values[name],
    onChange: (e: { target: { value: string } }) => onChange({ ...values, [name]: e.target.value }),
    error: Boolean(fields?.[path]),
    helperText: fields?.[path] ?? hint,
  });
  return (
    <>
      {connects && (
        <FormControlLabel
          control={<Switch checked={values.whileNeeded} onChange={(_, whileNeeded) => onChange({ ...values, whileNeeded })} />}
          label="Connected only while viewers, recordings or other feeds need it"
        />
      )}
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        <TextField select {...field("projection", "lens.projection", "The picture is")}>
          {projections.map((p) => (
            <MenuItem key={p.value} value={p.value}>
              {p.label}
            </MenuItem>
          ))}
        </TextField>
        {values.projection === "fisheye" && <TextField type="number" {...field("fieldOfView", "lens.fieldOfView", "Field of view, degrees", "Empty is 180")} />}
      </Stack>
      <TextField {...field("to", "outlet.to", "Files for a web server of your own", "folder:NAME, https://HOST/PATH (PUT, WebDAV) or s3+https://HOST/BUCKET/PREFIX; empty for none")} />
      {values.to && !values.to.startsWith("folder:") && (
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          <TextField {...field("user", "outlet.user", "User there, or access key")} autoComplete="off" />
          <TextField type="password" {...field("password", "outlet.password", "Password there, or secret key", "Left empty, it stays")} autoComplete="new-password" />
        </Stack>
      )}
    </>
  );
}
