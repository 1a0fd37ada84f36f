import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";

import type { Settings } from "../api/client";

export type PublishValues = Settings["publish"];

/** Who may send to a feed, and what becomes of a second one. */
export function PublishFields({ values, onChange }: { values: PublishValues; onChange: (v: PublishValues) => void }) {
  return (
    <Stack>
      <FormControlLabel control={<Switch checked={!values.open} onChange={(_, asked) => onChange({ ...values, open: !asked })} />} label="Whoever sends has to know the feed's key" />
      {values.open && (
        <Typography variant="body2" color="warning" sx={{ pl: 6 }}>
          Everybody who reaches the ports can send, and viewers see what they send. That is for closed networks only.
        </Typography>
      )}
      <FormControlLabel
        control={<Switch checked={values.takeOver} onChange={(_, takeOver) => onChange({ ...values, takeOver })} />}
        label="Who sends second takes the feed over, instead of being refused"
      />
    </Stack>
  );
}
