import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";

import type { FeedLink } from "../api/client";
import { AddressChoice } from "../embed/AddressChoice";
import { useViewersBase } from "../embed/useViewersBase";
import { CopyLine } from "../parts/CopyLine";
import { QrCode } from "../parts/QrCode";

/** A link's addresses, to copy, and its page as a QR code. */
export function ShowDialog({ link, onClose }: { link: FeedLink; onClose: () => void }) {
  const { addresses, base, setBase } = useViewersBase();
  const media = [
    ["Watch page", link.watch],
    ["Page for frames", link.embed],
    ["HLS", `${link.media}hls/index.m3u8`],
    ["WebRTC (WHEP)", `${link.media}whep`],
    ["Motion JPEG", `${link.media}mjpeg`],
    ["Still picture", `${link.media}still.jpg`],
  ] as const;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Link “{link.name}”</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1 }}>
          <AddressChoice addresses={addresses} value={base} onChange={setBase} />
          <Stack direction={{ xs: "column", sm: "row" }} spacing={2.5}>
            <Stack spacing={1} sx={{ alignItems: "center" }}>
              <QrCode text={base + link.watch} size={190} />
              <Typography variant="caption" color="textSecondary">
                Its watch page
              </Typography>
            </Stack>
            <Stack spacing={1} sx={{ minWidth: 0, flex: 1 }}>
              {media.map(([label, path]) => (
                <CopyLine key={label} label={label} text={base + path} />
              ))}
            </Stack>
          </Stack>
          <Typography variant="body2" color="textSecondary">
            Whoever has one of these can watch, until the link ends.
          </Typography>
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
