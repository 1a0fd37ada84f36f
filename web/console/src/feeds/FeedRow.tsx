import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";

import { AudienceMark } from "../access/AudienceMark";
import type { Feed } from "../api/client";
import { useLiveState } from "../live/Live";
import { bits, rate, size, span } from "../look/numbers";
import { StateMark } from "../parts/StateMark";
import { Thumbnail } from "./Thumbnail";

export function FeedRow({ feed, first }: { feed: Feed; first: boolean }) {
  const { now } = useLiveState();
  return (
    <Box
      component={Link}
      to={`/feeds/${feed.name}`}
      sx={{
        display: "grid",
        gridTemplateColumns: { xs: "72px 1fr auto", md: "96px minmax(180px, 1.3fr) minmax(220px, 2fr) 110px 80px 120px 80px" },
        columnGap: 2,
        rowGap: 0.5,
        alignItems: "center",
        px: 2.5,
        py: 1.75,
        color: "inherit",
        textDecoration: "none",
        borderTop: first ? 0 : 1,
        borderColor: "divider",
        "&:hover": { bgcolor: "action.hover" },
        "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main", outlineOffset: -2 },
      }}
    >
      <Thumbnail feed={feed} />
      <Box sx={{ minWidth: 0 }}>
        <Stack direction="row" spacing={0.75} sx={{ alignItems: "center" }}>
          <Typography sx={{ fontWeight: 650 }} noWrap>
            {feed.title}
          </Typography>
          <AudienceMark feed={feed} />
        </Stack>
        <Typography variant="body2" color="textSecondary" noWrap>
          {feed.name}
        </Typography>
      </Box>
      <Box sx={{ minWidth: 0, gridColumn: { xs: "1 / -1", md: "auto" }, order: { xs: 2, md: 0 } }}>
        <Box>
          <StateMark state={feed.state} />
          <Typography component="span" variant="body2" color="textSecondary">
            {" "}
            for {span(feed.since, now)}
          </Typography>
        </Box>
        {feed.state !== "live" && (
          <Typography variant="body2" color="textSecondary">
            {feed.reason}
          </Typography>
        )}
      </Box>
      <Cell label="size" value={size(feed.width, feed.height)} />
      <Cell label="rate" value={rate(feed.frameRate)} hideOnPhone />
      <Cell label="incoming" value={bits(feed.bitRate)} hideOnPhone />
      <Cell label={feed.viewers === 1 ? "viewer" : "viewers"} value={String(feed.viewers)} hideOnPhone />
    </Box>
  );
}

function Cell({ label, value, hideOnPhone }: { label: string; value: string; hideOnPhone?: boolean }) {
  return (
    <Box sx={{ textAlign: "right", display: { xs: hideOnPhone ? "none" : "block", md: "block" } }}>
      <Typography noWrap sx={{ fontVariantNumeric: "tabular-nums" }}>
        {value}
      </Typography>
      <Typography variant="caption" color="textSecondary">
        {label}
      </Typography>
    </Box>
  );
}
