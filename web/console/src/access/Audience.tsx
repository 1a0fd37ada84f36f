import EditIcon from "@mui/icons-material/EditOutlined";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";

import type { Feed } from "../api/client";
import { AudienceDialog } from "./AudienceDialog";
import { AudienceMark } from "./AudienceMark";
import { deliveries } from "./audiences";

/** Who may watch a feed, where, and by what. */
export function Audience({ feed, mayChange }: { feed: Feed; mayChange: boolean }) {
  const [editing, setEditing] = useState(false);
  const off = deliveries.filter((d) => !feed.deliveries?.includes(d.key)).map((d) => d.label);
  return (
    <Stack spacing={0.75}>
      <AudienceMark feed={feed} />
      <Typography variant="body2">{feed.audienceMeans}</Typography>
      {mayChange && (
        <Typography variant="body2" color="textSecondary" sx={{ overflowWrap: "anywhere" }}>
          {feed.sites.length === 0 ? "Pages of every site may show it." : `Only pages of ${feed.sites.join(", ")} may show it.`}
        </Typography>
      )}
      {off.length > 0 && (
        <Typography variant="body2" color="textSecondary">
          Switched off: {off.join(", ")}.
        </Typography>
      )}
      {mayChange && (
        <Button startIcon={<EditIcon />} onClick={() => setEditing(true)} sx={{ alignSelf: "start" }}>
          Change who may watch
        </Button>
      )}
      {editing && <AudienceDialog feed={feed} onClose={() => setEditing(false)} />}
    </Stack>
  );
}
