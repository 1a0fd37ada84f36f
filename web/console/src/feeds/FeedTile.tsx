import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";

import type { Feed } from "../api/client";
import { useLiveState } from "../live/Live";
import { span } from "../look/numbers";
import { StateMark } from "../parts/StateMark";
import { Thumbnail } from "./Thumbnail";

/** A feed as a tile: its picture first. */
export function FeedTile({ feed }: { feed: Feed }) {
  const { now } = useLiveState();
  return (
    <Box component={Link} to={`/feeds/${feed.name}`} sx={{ display: "block", color: "inherit", textDecoration: "none", p: 1.25, borderRadius: 1, "&:hover": { bgcolor: "action.hover" }, "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main" } }}>
      <Thumbnail feed={feed} wide />
      <Typography noWrap sx={{ fontWeight: 650, mt: 0.75 }}>
        {feed.title}
      </Typography>
      <Typography variant="body2" component="div" noWrap>
        <StateMark state={feed.state} />
        <Box component="span" sx={{ color: "text.secondary" }}>
          {" "}
          for {span(feed.since, now)}
        </Box>
      </Typography>
      {feed.state !== "live" && (
        <Typography variant="caption" color="textSecondary" sx={{ display: "-webkit-box", WebkitLineClamp: 2, WebkitBoxOrient: "vertical", overflow: "hidden" }}>
          {feed.reason}
        </Typography>
      )}
    </Box>
  );
}
