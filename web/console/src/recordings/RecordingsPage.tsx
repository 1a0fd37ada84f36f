import ArrowBackIcon from "@mui/icons-material/ArrowBack";
import FiberManualRecordIcon from "@mui/icons-material/FiberManualRecord";
import SettingsIcon from "@mui/icons-material/SettingsOutlined";
import StopIcon from "@mui/icons-material/Stop";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { createElement, useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";

import "../../../player/player";
import { client, dataOf, problemOf, type Me } from "../api/client";
import { feedsQuery } from "../api/queries";
import { moment, sized } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import { recordingsQuery, type Recordings } from "./queries";
import { RecordDialog } from "./RecordDialog";
import { Selection } from "./Selection";
import { Timeline, type Marked } from "./Timeline";
import type { Window } from "./window";

const minute = 60_000;
const lengths = [
  { name: "10 min", length: 10 * minute },
  { name: "1 h", length: 60 * minute },
  { name: "6 h", length: 360 * minute },
  { name: "24 h", length: 1440 * minute },
  { name: "7 days", length: 7 * 1440 * minute },
];
const rounded = 5000; // of the window, so that what is asked for does not change all the time

const lastFor = (length: number): Window => {
  const to = Math.ceil((Date.now() + length * 0.03) / rounded) * rounded;
  return { from: to - length, to };
};

type Player = HTMLElement & { at: string | null };

/** What was recorded of a feed: on a timeline, in the player, and to take away. */
export function RecordingsPage({ me }: { me: Me }) {
  const { name = "" } = useParams();
  const feed = useQuery(feedsQuery).data?.find((f) => f.name === name);
  const engineer = me.role === "engineer";
  const [window, setWindow] = useState(() => lastFor(60 * minute));
  const [at, setAt] = useState<number | null>(null);
  const [marked, setMarked] = useState<Marked | null>(null);
  const [editing, setEditing] = useState(false);
  const asked = { from: Math.floor(window.from / rounded) * rounded, to: Math.ceil(window.to / rounded) * rounded };
  const { data, error } = useQuery(recordingsQuery(name, asked.from, asked.to));
  const player = useRef<Player>(null);
  const shown = useShown(player, at);
  return (
    <Stack spacing={2}>
      <Stack direction="row" spacing={1} useFlexGap sx={{ justifyContent: "space-between", flexWrap: "wrap" }}>
        <Button component={Link} to={`/feeds/${name}`} startIcon={<ArrowBackIcon />} sx={{ ml: -1 }}>
          {feed?.title ?? name}
        </Button>
        {engineer && feed && (
          <Stack direction="row" spacing={1}>
            <RecordNow feed={name} data={data} />
            <Button startIcon={<SettingsIcon />} onClick={() => setEditing(true)}>
              When and how long
            </Button>
          </Stack>
        )}
      </Stack>
      <Typography variant="h1">Recordings</Typography>
      <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "minmax(0, 1fr)", md: "minmax(0, 2fr) minmax(280px, 1fr)" }, alignItems: "start" }}>
        {createElement("webostrum-player", { ref: player, feed: name, at: at === null ? undefined : new Date(at).toISOString(), style: { display: "block", aspectRatio: "16/9" } })}
        <Stack spacing={2}>
          {error && <ProblemBox problem={problemOf(error)} />}
          {data && <State data={data} />}
          {marked ? (
            <Selection key={name} feed={name} marked={marked} engineer={engineer} />
          ) : (
            <Typography variant="body2" color="textSecondary">
              Drag over a time on the timeline to download it{engineer && ", keep it or remove it"}.
            </Typography>
          )}
        </Stack>
      </Box>
      <Stack direction="row" spacing={1} useFlexGap sx={{ alignItems: "center", flexWrap: "wrap" }}>
        <ToggleButtonGroup size="small" exclusive value={window.to - window.from} onChange={(_, length: number | null) => length !== null && setWindow(lastFor(length))} aria-label="How much the timeline shows">
          {lengths.map((l) => (
            <ToggleButton key={l.name} value={l.length}>
              {l.name}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Typography variant="body2" color="textSecondary">
          Press for a moment, drag to mark a time, turn the wheel to zoom.
        </Typography>
      </Stack>
      <Timeline feed={name} window={window} spans={data?.spans ?? []} shown={shown} marked={marked} onWindow={setWindow} onMoment={setAt} onMarked={setMarked} />
      {editing && feed && <RecordDialog feed={feed} onClose={() => setEditing(false)} />}
    </Stack>
  );
}

/** The moment that the player shows; null for live. */
function useShown(player: React.RefObject<Player | null>, at: number | null): number | null {
  const [shown, setShown] = useState<number | null>(null);
  useEffect(() => {
    const timer = setInterval(() => {
      const p = player.current;
      setShown(p?.at ? Number(p.dataset.date ?? at) : null);
    }, 500);
    return () => clearInterval(timer);
  }, [player, at]);
  return shown;
}

const whys: Record<string, string> = { always: "as always", timetable: "by its timetable", hand: "by hand", motion: "since something moves" };

function State({ data }: { data: Recordings }) {
  const { state } = data;
  if (state.problem) {
    return (
      <Typography color="error.main">
        It is not recorded: {state.problem} {state.remedy}
      </Typography>
    );
  }
  const now = state.recording ? `It is recorded now, ${whys[state.why ?? ""] ?? ""}${state.until ? `, until ${moment(state.until)}` : ""}.` : "It is not recorded now.";
  const all = data.oldest && data.newest ? `There is something from ${moment(data.oldest)} on, ${sized(data.bytes)} in all.` : "Nothing was recorded yet.";
  const away = data.awayBytes ? `${sized(data.awayBytes)} of it is in the object store alone, half as high on the timeline, and plays from there.` : "";
  return (
    <Typography variant="body2" color="textSecondary">
      {now} {all} {away} {state.leftOut > 0 && `${state.leftOut} frames are not in it: the disk was too slow.`}
    </Typography>
  );
}

function RecordNow({ feed, data }: { feed: string; data: Recordings | undefined }) {
  const queries = useQueryClient();
  const byHand = data?.state.why === "hand";
  const change = useMutation({
    mutationFn: async () => {
      const path = { params: { path: { name: feed } } };
      return byHand ? dataOf(await client.DELETE("/api/v1/feeds/{name}/recording", path)) : dataOf(await client.POST("/api/v1/feeds/{name}/recording", { ...path, body: { minutes: 0 } }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["recordings", feed] }),
  });
  if (data?.state.recording && !byHand) return null;
  return (
    <Button color={byHand ? "inherit" : "error"} startIcon={byHand ? <StopIcon /> : <FiberManualRecordIcon />} loading={change.isPending} onClick={() => change.mutate()}>
      {byHand ? "Stop" : "Record now"}
    </Button>
  );
}
