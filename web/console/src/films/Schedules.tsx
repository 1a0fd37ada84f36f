import DeleteIcon from "@mui/icons-material/DeleteOutlined";
import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";

import { at } from "../api/base";
import type { Feed, FeedChange } from "../api/client";
import { useFeedChange } from "../api/useFeedChange";
import { moment, sized } from "../look/numbers";
import { CopyLine } from "../parts/CopyLine";
import type { ScheduleState, StillSchedule } from "./queries";

function when(s: StillSchedule | undefined): string {
  if (!s) return "";
  if (s.seconds) return `every ${s.seconds} s${s.sun ? ", by daylight" : ""}`;
  return `at ${(s.at ?? []).join(", ")}`;
}

/** The schedules by which stills are taken, with the newest of each. */
export function Schedules({ feed, states, engineer }: { feed: Feed; states: readonly ScheduleState[]; engineer: boolean }) {
  if (states.length === 0) return <Typography color="textSecondary">No stills are taken on a schedule.</Typography>;
  return (
    <Stack spacing={2}>
      {states.map((s) => (
        <Schedule key={s.name} feed={feed} state={s} engineer={engineer} />
      ))}
    </Stack>
  );
}

function Schedule({ feed, state, engineer }: { feed: Feed; state: ScheduleState; engineer: boolean }) {
  const settings = feed.stills.find((s) => s.name === state.name);
  const remove = useFeedChange(feed.name);
  return (
    <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "minmax(0, 1fr)", sm: "200px minmax(0, 1fr)" } }}>
      {state.newest ? (
        <Box component="img" src={`${at(state.latest)}?${Date.parse(state.newest)}`} alt={`The newest still of ${state.name}`} sx={{ width: "100%", aspectRatio: "16/9", objectFit: "cover", borderRadius: 1, bgcolor: "action.hover" }} />
      ) : (
        <Box sx={{ aspectRatio: "16/9", borderRadius: 1, bgcolor: "action.hover" }} />
      )}
      <Box>
        <Stack direction="row" sx={{ alignItems: "center" }}>
          <Typography sx={{ flex: 1, fontWeight: 600 }}>
            {state.name}, {when(settings)}
          </Typography>
          {engineer && (
            <IconButton aria-label={`Take stills of ${state.name} no longer`} title="Take them no longer; what was taken stays" loading={remove.isPending} onClick={() => remove.mutate({ stills: feed.stills.filter((s) => s.name !== state.name) } as FeedChange)}>
              <DeleteIcon />
            </IconButton>
          )}
        </Stack>
        <Typography variant="body2" color="textSecondary">
          {state.files} stills, {sized(state.bytes)}
          {state.newest && `, the newest of ${moment(state.newest)}`}
          {state.next && `; the next at ${new Date(state.next).toLocaleTimeString()}`}
        </Typography>
        {state.problem && (
          <Typography variant="body2" color="error.main">
            {state.problem} {state.remedy}
          </Typography>
        )}
        <CopyLine label="The newest always has this address" text={new URL(at(state.latest), location.href).href} />
      </Box>
    </Box>
  );
}
