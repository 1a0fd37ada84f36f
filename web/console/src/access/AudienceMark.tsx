import GroupIcon from "@mui/icons-material/GroupOutlined";
import LinkIcon from "@mui/icons-material/LinkOutlined";
import PersonIcon from "@mui/icons-material/HowToRegOutlined";
import PublicIcon from "@mui/icons-material/Public";
import Stack from "@mui/material/Stack";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";

import type { Feed } from "../api/client";
import { labelOf, type Who } from "./audiences";

const icons: Record<Who, typeof PublicIcon> = { everyone: PublicIcon, links: LinkIcon, "signed-in": GroupIcon, named: PersonIcon };

/** Who may watch a feed, in two words or as a sign alone; the sentence is its tooltip. */
export function AudienceMark({ feed, sign }: { feed: Feed; sign?: boolean }) {
  const { who } = feed.audience;
  const Icon = icons[who];
  return (
    <Tooltip title={feed.audienceMeans}>
      <Stack direction="row" spacing={0.5} sx={{ alignItems: "center", color: "text.secondary", flexShrink: 0 }}>
        <Icon sx={{ fontSize: 16 }} titleAccess={sign ? labelOf(who) : undefined} aria-hidden={!sign} />
        {!sign && <Typography variant="caption">{labelOf(who)}</Typography>}
      </Stack>
    </Tooltip>
  );
}
