import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import Skeleton from "@mui/material/Skeleton";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link as RouterLink } from "react-router";

import { problemOf } from "../api/client";
import { ProblemBox } from "../parts/ProblemBox";
import { morningQuery, type Morning, type MorningItem } from "../record/queries";

const spans = [
  { key: "evening", label: "Since yesterday, 18:00", hours: 0 },
  { key: "12h", label: "12 hours", hours: 12 },
  { key: "24h", label: "24 hours", hours: 24 },
  { key: "7d", label: "7 days", hours: 168 },
];

/** What happened overnight, as a colleague would write it: what is still wrong comes first. */
export function MorningPage() {
  const [span, setSpan] = useState("evening");
  const since = useMemo(() => {
    const hours = spans.find((s) => s.key === span)?.hours ?? 0;
    return hours ? new Date(Date.now() - hours * 3_600_000).toISOString() : undefined;
  }, [span]);
  const { data, error, isPending } = useQuery(morningQuery(since));
  return (
    <Stack spacing={2.5} sx={{ maxWidth: 860 }}>
      <Stack direction="row" spacing={2} sx={{ alignItems: "center", justifyContent: "space-between" }}>
        <Typography variant="h1">Morning</Typography>
        <TextField select fullWidth={false} size="small" label="Looks back" value={span} onChange={(e) => setSpan(e.target.value)} sx={{ minWidth: 200 }}>
          {spans.map((s) => (
            <MenuItem key={s.key} value={s.key}>
              {s.label}
            </MenuItem>
          ))}
        </TextField>
      </Stack>
      {isPending && <Skeleton variant="rounded" height={160} />}
      {error && <ProblemBox problem={problemOf(error)} />}
      {data && (
        <>
          <Typography sx={{ fontSize: "1.3rem", lineHeight: 1.35, fontWeight: 600 }} role="status">
            {data.headline}
          </Typography>
          <Items title="Still wrong" items={data.wrong} colour="error.main" />
          <Items title="Was wrong, and is over" items={data.was} colour="warning.main" />
          <Items title="Had poor pictures" items={data.poor} colour="warning.main" />
          <Service events={data.service ?? []} />
          <Typography color="textSecondary">{rest(data)}</Typography>
        </>
      )}
    </Stack>
  );
}

/** The feeds that there is nothing to say of. */
function rest({ quiet, off, idle, waiting }: Morning): string {
  const parts = [
    quiet > 0 && `${quiet} ${quiet === 1 ? "feed was" : "feeds were"} live all the time`,
    off > 0 && `${off} ${off === 1 ? "is" : "are"} switched off`,
    idle > 0 && `${idle} ${idle === 1 ? "is" : "are"} idle, since nobody needs ${idle === 1 ? "it" : "them"}`,
    waiting > 0 && `${waiting} ${waiting === 1 ? "waits" : "wait"} for somebody to send`,
  ].filter(Boolean);
  return parts.length > 0 ? `${parts.join(", ")}.` : "";
}

function Items({ title, items, colour }: { title: string; items: MorningItem[] | null; colour: string }) {
  if (!items?.length) return null;
  return (
    <Paper component="section" sx={{ px: 2.5, py: 2 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        {title}
      </Typography>
      <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0 }}>
        {items.map((i) => (
          <Item key={`${i.feeds?.join()}${i.began}`} item={i} colour={colour} />
        ))}
      </Box>
    </Paper>
  );
}

const fewNames = 8;

function Item({ item, colour }: { item: MorningItem; colour: string }) {
  const feeds = item.feeds ?? [];
  const [all, setAll] = useState(false);
  const named = all ? feeds : feeds.slice(0, fewNames);
  return (
    <Box component="li" sx={{ py: 0.9, pl: 1.5, my: 0.5, borderLeft: 3, borderColor: colour }}>
      <Typography component="div">
        {named.map((f, i) => (
          <span key={f}>
            {i > 0 && ", "}
            <Link component={RouterLink} to={`/feeds/${f}`} sx={{ fontWeight: 650 }}>
              {f}
            </Link>
          </span>
        ))}
        {feeds.length > named.length && (
          <>
            {" and "}
            <Link component="button" onClick={() => setAll(true)} sx={{ verticalAlign: "baseline" }}>
              {feeds.length - named.length} more
            </Link>
          </>
        )}{" "}
        {item.text}
      </Typography>
      {item.remedy && (
        <Typography variant="body2" color="textSecondary">
          {item.remedy}
        </Typography>
      )}
    </Box>
  );
}

function Service({ events }: { events: { at: string; text: string }[] }) {
  if (events.length === 0) return null;
  return (
    <Paper component="section" sx={{ px: 2.5, py: 2 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        The service itself
      </Typography>
      {events.map((e) => (
        <Typography key={e.at + e.text} variant="body2" sx={{ py: 0.3 }}>
          <Box component="time" dateTime={e.at} sx={{ color: "text.secondary", mr: 1.5, fontVariantNumeric: "tabular-nums" }}>
            {new Date(e.at).toLocaleString(undefined, { weekday: "short", hour: "2-digit", minute: "2-digit" })}
          </Box>
          {e.text}
        </Typography>
      ))}
    </Paper>
  );
}
