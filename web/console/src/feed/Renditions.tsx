import AddIcon from "@mui/icons-material/Add";
import DeleteOutlineIcon from "@mui/icons-material/DeleteOutlined";
import EditIcon from "@mui/icons-material/EditOutlined";
import VisibilityIcon from "@mui/icons-material/VisibilityOutlined";
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import IconButton from "@mui/material/IconButton";
import Stack from "@mui/material/Stack";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type Feed, type Rendition } from "../api/client";
import { feedsQuery } from "../api/queries";
import { bits, codecName, rate, share, size } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import { RenditionDialog } from "./RenditionDialog";

interface RenditionsProps {
  feed: Feed;
  mayChange: boolean;
  preview: string | null;
  onPreview: (name: string | null) => void;
}

export function Renditions({ feed, mayChange, preview, onPreview }: RenditionsProps) {
  const [open, setOpen] = useState<Rendition | "new" | null>(null);
  const list = feed.renditions ?? [];
  return (
    <Stack spacing={1.5}>
      <Told feed={feed} />
      {list.length === 0 && (
        <Typography variant="body2" color="textSecondary">
          Viewers get the camera's own pictures. A rendition is another size, rate or codec, or has a text on it; it is made only while somebody watches it.
        </Typography>
      )}
      {list.map((r) => (
        <Row
          key={r.name}
          feed={feed}
          rendition={r}
          mayChange={mayChange && !r.automatic}
          shown={preview === r.name}
          onPreview={() => onPreview(preview === r.name ? null : r.name)}
          onEdit={() => setOpen(r)}
        />
      ))}
      <Cost feed={feed} />
      {mayChange && (
        <Button startIcon={<AddIcon />} onClick={() => setOpen("new")} sx={{ alignSelf: "start" }}>
          Add a rendition
        </Button>
      )}
      {open && <RenditionDialog feed={feed} rendition={open === "new" ? undefined : open} onClose={() => setOpen(null)} />}
    </Stack>
  );
}

/** Says why something is transcoded that nobody asked for, or cannot be. */
function Told({ feed }: { feed: Feed }) {
  if (feed.transcoding.missing) {
    return (
      <Alert severity="warning" variant="outlined">
        Nothing can be transcoded here: {feed.transcoding.missing}.
      </Alert>
    );
  }
  if (feed.codec !== "JPEG") return null;
  const { running, processor } = feed.transcoding;
  return (
    <Alert severity="info" variant="outlined">
      The camera sends JPEG, which HLS cannot carry. So it is transcoded to H.264 while somebody watches by HLS
      {running && processor > 0 ? `, which takes ${share(processor)} of a core now.` : "; nobody does now, and it costs nothing."} Motion JPEG goes out as it comes in.
    </Alert>
  );
}

function Cost({ feed }: { feed: Feed }) {
  const c = feed.transcoding;
  if (!c.running && c.restarts === 0) return null;
  return (
    <Box>
      {c.running && (
        <Typography variant="body2" color="textSecondary" sx={{ fontVariantNumeric: "tabular-nums" }}>
          In all {share(c.processor)} of a core, {share(c.decoding)} of it for decoding, and {Math.round(c.memoryBytes / 2 ** 20)} MiB. Left out: {c.dropped}.
        </Typography>
      )}
      {c.lastError && (
        <Typography variant="body2" color="textSecondary">
          Last error: {c.lastError}
          {c.restarts > 0 && ` (started again ${c.restarts} times)`}
        </Typography>
      )}
    </Box>
  );
}

interface RowProps {
  feed: Feed;
  rendition: Rendition;
  mayChange: boolean;
  shown: boolean;
  onPreview: () => void;
  onEdit: () => void;
}

function Row({ feed, rendition: r, mayChange, shown, onPreview, onEdit }: RowProps) {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: async () =>
      dataOf(await client.DELETE("/api/v1/feeds/{name}/renditions/{rendition}", { params: { path: { name: feed.name, rendition: r.name } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: feedsQuery.queryKey }),
  });
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", pt: 1.25 }}>
      <Stack direction="row" spacing={1} useFlexGap sx={{ alignItems: "center", flexWrap: "wrap" }}>
        <Typography sx={{ fontWeight: 650 }}>{r.name}</Typography>
        <Chip size="small" variant="outlined" label={codecName(r.codec)} />
        {r.running && <Chip size="small" color="success" variant="outlined" label={r.share > 0 ? `running · ${share(r.share)} of a core` : "made now"} />}
        <Typography variant="body2" color="textSecondary" sx={{ flex: 1, minWidth: 160, fontVariantNumeric: "tabular-nums" }}>
          {described(r)}
        </Typography>
        <Box sx={{ whiteSpace: "nowrap" }}>
          <Tooltip title={shown ? "Close the preview" : "Show it beside the original"}>
            <IconButton size="small" aria-label={`Preview ${r.name}`} color={shown ? "primary" : "default"} onClick={onPreview}>
              <VisibilityIcon fontSize="small" />
            </IconButton>
          </Tooltip>
          {mayChange && (
            <>
              <IconButton size="small" aria-label={`Edit ${r.name}`} onClick={onEdit}>
                <EditIcon fontSize="small" />
              </IconButton>
              <IconButton size="small" aria-label={`Remove ${r.name}`} loading={remove.isPending} onClick={() => remove.mutate()}>
                <DeleteOutlineIcon fontSize="small" />
              </IconButton>
            </>
          )}
        </Box>
      </Stack>
      {r.note && (
        <Typography variant="body2" color="textSecondary">
          {r.note}
        </Typography>
      )}
      {remove.isError && <ProblemBox problem={problemOf(remove.error)} />}
    </Box>
  );
}

function described(r: Rendition): string {
  const parts = [size(r.outWidth, r.outHeight)];
  if (r.outFrameRate > 0) parts.push(rate(r.outFrameRate));
  else if (r.frameRate) parts.push(`up to ${rate(r.frameRate)}`);
  if (r.bitRate) parts.push(bits(r.bitRate));
  if (r.quality) parts.push(`quality ${r.quality}`);
  if (r.text) parts.push(`“${r.text}”`);
  return parts.join(" · ");
}
