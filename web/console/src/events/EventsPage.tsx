import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";

import { EventList } from "./EventList";

export function EventsPage() {
  return (
    <Stack spacing={2.5}>
      <Typography variant="h1">Events</Typography>
      <Paper sx={{ px: 2.5, py: 1.5 }}>
        <EventList limit={200} />
      </Paper>
    </Stack>
  );
}
