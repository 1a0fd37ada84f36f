import ContentCopyIcon from "@mui/icons-material/ContentCopy";
import Alert from "@mui/material/Alert";
import IconButton from "@mui/material/IconButton";
import MuiLink from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useState } from "react";

import { service } from "../api/base";
import type { Feed } from "../api/client";

export function Addresses({ feed }: { feed: Feed }) {
  const inside = /^(localhost|127\.|\[::1\])/.test(location.hostname);
  return (
    <Stack spacing={1}>
      <Address label="Watch page" path={`/watch/${feed.name}`} />
      <Address label="Watch page, least delay" path={`/watch/${feed.name}?prefer=delay`} />
      <Address label="WebRTC (WHEP)" path={`/media/${feed.name}/whep`} />
      <Address label="HLS" path={`/media/${feed.name}/hls/index.m3u8`} />
      <Address label="Motion JPEG" path={`/media/${feed.name}/mjpeg`} />
      <Address label="Still picture" path={`/media/${feed.name}/still.jpg`} />
      {inside && (
        <Alert severity="info" variant="outlined" sx={{ py: 0 }}>
          You opened the console at an address that only this machine has. Viewers elsewhere need its name or address in their network.
        </Alert>
      )}
    </Stack>
  );
}

function Address({ label, path }: { label: string; path: string }) {
  const [copied, setCopied] = useState(false);
  const url = service + path;
  const copy = () => {
    void navigator.clipboard?.writeText(url).then(() => setCopied(true));
  };
  return (
    <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
      <Stack sx={{ minWidth: 0, flex: 1 }}>
        <Typography variant="caption" color="textSecondary">
          {label}
        </Typography>
        <MuiLink href={url} target="_blank" rel="noopener" variant="body2" sx={{ overflowWrap: "anywhere" }}>
          {url}
        </MuiLink>
      </Stack>
      <Tooltip title={copied ? "Copied" : "Copy"} onClose={() => setCopied(false)}>
        <IconButton size="small" aria-label={`Copy the address of the ${label}`} onClick={copy}>
          <ContentCopyIcon fontSize="inherit" />
        </IconButton>
      </Tooltip>
    </Stack>
  );
}
