import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";

import { AudienceMark } from "../access/AudienceMark";
import type { Feed } from "../api/client";
import { useLiveState } from "../live/Live";
import { bits, rate, size, span } from "../look/numbers";
import { StateMark } from "../parts/StateMark";
import { StripChart } from "../parts/StripChart";
import { Thumbnail } from "./Thumbnail";

export interface Strips {
  begins: string;
  cell: number;
  of: Map<string, { cells: string; percent?: number }>;
}

interface FeedRowProps {
  feed: Feed;
  first: boolean;
  strips: Strips;
  /** Many of them are shown. */
  compact: boolean;
}

export function FeedRow({ feed, first, strips, compact }: FeedRowProps) {
  const strip = strips.of.get(feed.name);
  const { now } = useLiveState();
  return (
    <Box
      component={Link}
      to={`/feeds/${feed.name}`}
      sx={{
        display: "grid",
        gridTemplateColumns: { xs: "72px 1fr auto", md: `${compact ? 64 : 96}px minmax(150px, 1.2fr) minmax(190px, 1.8fr) ${strip ? "110px " : ""}100px 72px 112px 70px` },
        columnGap: 2,
        rowGap: 0.5,
        alignItems: "center",
        px: 2.5,
        py: compact ? 0.75 : 1.75,
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
          <AudienceMark feed={feed} sign={compact} />
        </Stack>
        <Typography variant="body2" color="textSecondary" noWrap>
          {feed.name}
          {feed.tags.length > 0 && ` · ${feed.tags.join(", ")}`}
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
          <Typography variant="body2" color="textSecondary" noWrap={compact} title={compact ? feed.reason : undefined}>
            {feed.reason}
          </Typography>
        )}
      </Box>
      {strip && (
        <Box sx={{ display: { xs: "none", md: "block" } }}>
          <StripChart begins={strips.begins} cellSeconds={strips.cell} cells={strip.cells} height={compact ? 12 : 16} label={`24 hours of ${feed.name}`} />
          <Typography variant="caption" color="textSecondary">
            {strip.percent === undefined ? "24 hours" : `24 h: ${strip.percent.toFixed(strip.percent === 100 ? 0 : 1)} %`}
          </Typography>
        </Box>
      )}
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
