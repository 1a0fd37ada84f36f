import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf } from "../api/client";
import { AddressChoice } from "../embed/AddressChoice";
import { useViewersBase } from "../embed/useViewersBase";
import { CopyLine } from "../parts/CopyLine";
import { ProblemBox } from "../parts/ProblemBox";
import { QrCode } from "../parts/QrCode";

const lengths = [
  { hours: 1, label: "an hour" },
  { hours: 24, label: "a day" },
  { hours: 24 * 7, label: "a week" },
  { hours: 24 * 90, label: "90 days" },
];

/** Browsers give cameras to secure pages alone: over HTTPS, or on the machine itself. */
function takesCamera(base: string): boolean {
  const { protocol, hostname } = new URL(base);
  return protocol === "https:" || hostname === "localhost" || hostname === "[::1]" || hostname.startsWith("127.");
}

/** Makes a pass, and shows its page as a QR code for the phone that is to send. */
export function PassDialog({ feed, onClose }: { feed: string; onClose: () => void }) {
  const { addresses, base, setBase } = useViewersBase();
  const [hours, setHours] = useState(24);
  const make = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/feeds/{name}/publish-passes", { params: { path: { name: feed } }, body: { hours } })),
  });
  const page = make.data && `${base}/publish/${feed}#${make.data.pass}`;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>A phone or laptop as the camera</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1 }}>
          <AddressChoice addresses={addresses} value={base} onChange={setBase} />
          {!takesCamera(base) && (
            <Alert severity="warning" variant="outlined">
              Browsers give cameras to pages over HTTPS alone. By this address it works on this machine only.
            </Alert>
          )}
          {!page && (
            <TextField select label="Lets somebody send for" value={hours} onChange={(e) => setHours(Number(e.target.value))}>
              {lengths.map((l) => (
                <MenuItem key={l.hours} value={l.hours}>
                  {l.label}
                </MenuItem>
              ))}
            </TextField>
          )}
          {page && make.data && (
            <Stack direction={{ xs: "column", sm: "row" }} spacing={2.5} sx={{ alignItems: { xs: "center", sm: "start" } }}>
              <QrCode text={page} size={230} />
              <Stack spacing={1.5} sx={{ minWidth: 0, flex: 1 }}>
                <Typography variant="body2">Open it with the phone's camera, or copy the address. The page asks for the camera, and sends until somebody stops it.</Typography>
                <CopyLine label="Camera page" text={page} />
                <Typography variant="body2" color="textSecondary">
                  Whoever has it can send until {new Date(make.data.ends).toLocaleString()}. It is shown only now.
                </Typography>
              </Stack>
            </Stack>
          )}
          {make.isError && <ProblemBox problem={problemOf(make.error)} />}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
        {!page && (
          <Button variant="contained" loading={make.isPending} onClick={() => make.mutate()}>
            Make a pass
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}
