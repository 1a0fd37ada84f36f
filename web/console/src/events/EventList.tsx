import Box from "@mui/material/Box";
import Skeleton from "@mui/material/Skeleton";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";

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
    <Lines>
      {events.data.map((e) => (
        <Line key={e.id} event={e} withFeed={!feed} />
      ))}
    </Lines>
  );
}

export function Lines({ children }: { children: ReactNode }) {
  return (
    <Box component="ol" sx={{ listStyle: "none", m: 0, p: 0 }}>
      {children}
    </Box>
  );
}

const clock = (at: string): string => new Date(at).toLocaleTimeString(undefined, { hour: "2-digit", minute: "2-digit" });

/** How often an event stands for, where repeated ones come as one. */
function repeated({ times, first, at }: FeedEvent): string {
  if (!times || !first) return "";
  const from = new Date(first).toDateString() === new Date(at).toDateString() ? clock(first) : moment(first);
  return ` (${times} times between ${from} and ${clock(at)})`;
}

const colours: Record<FeedEvent["severity"], string> = { info: "text.primary", warning: "warning.main", serious: "error.main" };

export function Line({ event, withFeed }: { event: FeedEvent; withFeed: boolean }) {
  return (
    <Box component="li" sx={{ display: "grid", gridTemplateColumns: "auto 1fr", columnGap: 2, py: 0.6 }}>
      <Typography component="time" dateTime={event.at} variant="body2" color="textSecondary" sx={{ fontVariantNumeric: "tabular-nums" }}>
        {moment(event.at)}
      </Typography>
      <Typography variant="body2" sx={{ color: colours[event.severity] }}>
        {withFeed && event.feed && <b>{event.feed} </b>}
        {event.text}
        {repeated(event)}
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
