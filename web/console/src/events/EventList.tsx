import Box from "@mui/material/Box";
import Skeleton from "@mui/material/Skeleton";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";

import { problemOf, type FeedEvent } from "../api/client";
import { eventsQuery } from "../api/queries";
import { moment } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";

/** The newest events, of one feed or of all. */
export function EventList({ feed, limit }: { feed?: string; limit: number }) {
  const events = useQuery(eventsQuery(feed, limit));
  if (events.isPending) return <Skeleton height={80} />;
  if (!events.data) return <ProblemBox problem={problemOf(events.error)} />;
  if (events.data.length === 0) return <Typography color="textSecondary">Nothing has happened yet.</Typography>;
  return (
    <Box component="ol" sx={{ listStyle: "none", m: 0, p: 0 }}>
      {events.data.map((e) => (
        <Line key={e.id} event={e} withFeed={!feed} />
      ))}
    </Box>
  );
}

function Line({ event, withFeed }: { event: FeedEvent; withFeed: boolean }) {
  const troubled = Boolean(event.code) || event.kind === "warning";
  return (
    <Box component="li" sx={{ display: "grid", gridTemplateColumns: "auto 1fr", columnGap: 2, py: 0.6 }}>
      <Typography component="time" dateTime={event.at} variant="body2" color="textSecondary" sx={{ fontVariantNumeric: "tabular-nums" }}>
        {moment(event.at)}
      </Typography>
      <Typography variant="body2" sx={{ color: troubled ? "warning.main" : "text.primary" }}>
        {withFeed && event.feed && <b>{event.feed} </b>}
        {event.text}
        {event.account && (
          <Typography component="span" variant="caption" color="textSecondary">
            {" "}
            · {event.account}
            {event.address && ` from ${event.address}`}
          </Typography>
        )}
      </Typography>
    </Box>
  );
}
